import type { PolyMesh } from './poly-mesh';
import { isAllQuads } from './triangulate';

/** Marks an edge without a corner across it. */
export const NO_CORNER = 0xffffffff;

/** Connectivity with the corner across each edge: the one that runs the other way, NO_CORNER on borders and where three faces meet. */
export class LinkedCorners {
  readonly across: Uint32Array; // C
  readonly kinds: Uint8Array; // P, as `kindsOfPoints`
  /** Face of each corner; null where all are quads, which takes no look into memory. */
  private readonly faces: Uint32Array | null;
  /** @param across where it is known already */
  constructor(
    readonly mesh: PolyMesh,
    across: Uint32Array | null = null,
  ) {
    this.faces = isAllQuads(mesh) ? null : facesOfCorners(mesh);
    this.across = across ?? acrossEdges(mesh);
    this.kinds = kindsOfPoints(mesh, this.across);
  }
  get isAllQuads(): boolean {
    return this.faces === null;
  }
  faceOf(c: number): number {
    return this.faces === null ? c >>> 2 : this.faces[c];
  }
  /** The corner after one, around its face. */
  next(c: number): number {
    if (this.faces === null) return ((c & 3) === 3 ? c - 3 : c + 1) >>> 0;
    const f = this.faces[c];
    return c + 1 === this.mesh.faceOffsets[f + 1] ? this.mesh.faceOffsets[f] : c + 1;
  }
  /** Of the edge from a corner to the next. */
  lengthSquared(c: number): number {
    const p = this.mesh.positions;
    const [v, w] = [3 * this.mesh.faceVerts[c], 3 * this.mesh.faceVerts[this.next(c)]];
    return (p[v] - p[w]) ** 2 + (p[v + 1] - p[w + 1]) ** 2 + (p[v + 2] - p[w + 2]) ** 2;
  }
  size(face: number): number {
    return this.mesh.faceOffsets[face + 1] - this.mesh.faceOffsets[face];
  }
}

function facesOfCorners({ faceVerts, faceOffsets }: PolyMesh): Uint32Array {
  const out = new Uint32Array(faceVerts.length);
  for (let f = 0; f + 1 < faceOffsets.length; f++) out.fill(f, faceOffsets[f], faceOffsets[f + 1]);
  return out;
}

const ON_BORDER = 128;
/** How many faces are around a point of a kind; 127 where there are more. */
export const facesOfKind = (kind: number): number => kind % ON_BORDER;
/** What tells points apart without a look at places: how many faces are around each, at most 127, and whether it is on a border. */
function kindsOfPoints({ faceOffsets, faceVerts, positions }: PolyMesh, across: Uint32Array): Uint8Array {
  const kinds = new Uint8Array(positions.length / 3);
  for (let c = 0; c < faceVerts.length; c++) if (kinds[faceVerts[c]] < ON_BORDER - 1) kinds[faceVerts[c]]++;
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      if (across[c] !== NO_CORNER) continue;
      kinds[faceVerts[c]] |= ON_BORDER;
      kinds[faceVerts[c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1]] |= ON_BORDER;
    }
  return kinds;
}

/** More edges than this at a point are sorted. */
const FEW = 48;

/** The corner across each edge, as in LinkedCorners. Edges are put in rows by their lower point, where both their corners stand near each other: no
 *  hash, and few looks far away in memory. */
export function acrossEdges({ faceOffsets, faceVerts, positions }: PolyMesh): Uint32Array {
  const C = faceVerts.length;
  const P = positions.length / 3;
  const at = new Uint32Array(P + 1);
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const to = faceOffsets[f + 1];
    let v = faceVerts[to - 1];
    for (let c = faceOffsets[f]; c < to; c++) {
      const w = faceVerts[c];
      at[(v < w ? v : w) + 1]++;
      v = w;
    }
  }
  for (let v = 0; v < P; v++) at[v + 1] += at[v];
  // of each edge: its upper point, and twice its corner, odd where it leads downwards
  const uppers = new Uint32Array(C);
  const corners = new Uint32Array(C);
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const to = faceOffsets[f + 1];
    let c = to - 1;
    for (let next = faceOffsets[f]; next < to; next++) {
      const v = faceVerts[c];
      const w = faceVerts[next];
      const up = v < w;
      // moves each start to the end of its row, which is the start of the next
      const place = at[up ? v : w]++;
      uppers[place] = up ? w : v;
      corners[place] = 2 * c + (up ? 0 : 1);
      c = next;
    }
  }
  const across = new Uint32Array(C).fill(NO_CORNER);
  for (let v = 0, from = 0; v < P; from = at[v++]) {
    const to = at[v];
    const isLong = to - from > FEW;
    if (isLong) sortRow(uppers, corners, from, to);
    for (let i = from; i < to; i++) {
      const end = uppers[i];
      let partner = NO_CORNER;
      let count = 1;
      // sorted, they stand side by side; else anywhere in the row
      const last = isLong ? Math.min(to, i + 3) : to;
      for (let j = isLong ? Math.max(from, i - 2) : from; j < last; j++)
        if (j !== i && uppers[j] === end) {
          partner = corners[j];
          count++;
        }
      if (count === 2 && (partner & 1) !== (corners[i] & 1)) across[corners[i] >>> 1] = partner >>> 1;
    }
  }
  return across;
}

/** The corner across each edge of a mesh that was refined so many times, from the light mesh alone: the halves of an edge lie across from those of
 *  its other side, the spokes of a face from each other. Null where a face comes to a point twice, for two spokes may be one edge then. */
export function acrossRefined(light: PolyMesh, levels: number): Uint32Array | null {
  if (hasPointTwice(light)) return null;
  let across = acrossEdges(light);
  // from the first level on all faces are quads
  for (let k = 0; k < levels; k++) across = acrossSplit(across, k === 0 ? light.faceOffsets : null);
  return across;
}

/** The corner across each edge of the next level. @param faceOffsets null where all faces are quads */
export function acrossSplit(across: Uint32Array, faceOffsets: Uint32Array | null): Uint32Array {
  const fine = new Uint32Array(4 * across.length);
  const split = (c: number, after: number): void => {
    fine[4 * c + 1] = 4 * after + 2;
    fine[4 * after + 2] = 4 * c + 1;
    const over = across[c];
    fine[4 * after + 3] = over === NO_CORNER ? NO_CORNER : 4 * over;
    if (over === NO_CORNER) fine[4 * c] = NO_CORNER;
    else fine[4 * over] = 4 * after + 3;
  };
  if (faceOffsets === null) for (let c = 0; c < across.length; c++) split(c, (c & 3) === 3 ? c - 3 : c + 1);
  else
    for (let f = 0; f + 1 < faceOffsets.length; f++)
      for (let c = faceOffsets[f], end = faceOffsets[f + 1]; c < end; c++) split(c, c + 1 === end ? faceOffsets[f] : c + 1);
  return fine;
}

function hasPointTwice({ faceOffsets, faceVerts, positions }: PolyMesh): boolean {
  const seen = new Uint32Array(positions.length / 3);
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      if (seen[faceVerts[c]] === f + 1) return true;
      seen[faceVerts[c]] = f + 1;
    }
  return false;
}

function sortRow(uppers: Uint32Array, corners: Uint32Array, from: number, to: number): void {
  const order = Array.from({ length: to - from }, (_, i) => from + i).sort((a, b) => uppers[a] - uppers[b] || corners[a] - corners[b]);
  const [u, c] = [order.map((i) => uppers[i]), order.map((i) => corners[i])];
  uppers.set(u, from);
  corners.set(c, from);
}
