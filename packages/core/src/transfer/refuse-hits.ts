import type { EdgeTable } from '../mesh/topology';
import { UnionFind } from '../runtime/union-find';
import type { SurfaceWalk } from './surface-walk';

/** Two hits are one surface where the way along it is at most this many times the one through space. */
const WAY = 4;
/** A pair is looked at where the hits' difference departs from that of their points by more than this share of it. */
const SUSPICIOUS = 0.5;
/** And is apart, where no way is known (two pieces), beyond this. */
const TORN = 1;

/** What was hit from a mesh's points. */
export interface HitPlaces {
  readonly points: Float32Array; // 3 P, where they were cast from
  readonly places: Float32Array; // 3 P, on the sculpt
  /** A point of the sculpt at each hit; NO_HIT without one. */
  readonly corners: Uint32Array; // P
}

/** Refuses hits that were taken from another part of the sculpt: parts of the mesh whose hits hang together are told apart where neighbours' hits
 *  are far apart along the sculpt though near in space, and of such parts the larger keep theirs.
 *  @param walkOf ways along the sculpt, asked for where hits jump
 *  @param answered 1 for each point that has a hit; those refused become 0  @returns how many were refused */
export function refuseHits(
  { edgeVerts }: EdgeTable,
  { points, places, corners }: HitPlaces,
  answered: Uint8Array,
  walkOf: () => SurfaceWalk,
): number {
  const P = answered.length;
  const parts = new UnionFind(P);
  const torn: number[] = [];
  for (let e = 0; e < edgeVerts.length; e += 2) {
    const [a, b] = [edgeVerts[e], edgeVerts[e + 1]];
    if (answered[a] === 0 || answered[b] === 0) continue;
    if (isOneSurface(a, b)) parts.join(a, b);
    else torn.push(a, b);
  }
  if (torn.length === 0) return 0;
  const sizes = new Uint32Array(P);
  for (let v = 0; v < P; v++) if (answered[v] === 1) sizes[parts.root(v)]++;
  // the larger of two torn parts is asked first, so that what a refused part would refuse stays
  const pairs: (readonly [part: number, other: number])[] = [];
  for (let i = 0; i < torn.length; i += 2) {
    const [a, b] = [parts.root(torn[i]), parts.root(torn[i + 1])];
    if (a !== b) pairs.push(sizes[a] > sizes[b] || (sizes[a] === sizes[b] && a < b) ? [a, b] : [b, a]);
  }
  pairs.sort(([a], [b]) => sizes[b] - sizes[a] || a - b);
  const refused = new Set<number>();
  for (const [larger, smaller] of pairs) if (!refused.has(larger)) refused.add(smaller);
  let count = 0;
  for (let v = 0; v < P; v++)
    if (answered[v] === 1 && refused.has(parts.root(v))) {
      answered[v] = 0;
      count++;
    }
  return count;

  function isOneSurface(a: number, b: number): boolean {
    let space = 0;
    let cast = 0;
    let jump = 0;
    for (let k = 0; k < 3; k++) {
      const d = places[3 * a + k] - places[3 * b + k];
      const x = points[3 * a + k] - points[3 * b + k];
      space += d * d;
      cast += x * x;
      jump += (d - x) ** 2;
    }
    if (jump <= SUSPICIOUS ** 2 * cast) return true;
    const walk = walkOf();
    const [from, to] = [walk.patchOf[corners[a]], walk.patchOf[corners[b]]];
    if (walk.pieceOf[from] !== walk.pieceOf[to]) return jump <= TORN ** 2 * cast;
    // patches are as large as their cell, so ways are known up to a few of them
    return walk.reaches(from, to, WAY * Math.sqrt(space) + 2 * walk.cell);
  }
}
