import type { Creases } from '../mesh/poly-mesh';
import { EVER_SHARP } from '../mesh/poly-mesh';
import type { EdgeTable } from '../mesh/topology';

const NONE = 0xffffffff;

/** What a mesh says of its creases, by the edges and points of its connectivity; 0 where it says nothing. */
export interface Sharpness {
  readonly edges: Float32Array; // E
  readonly points: Float32Array; // V
}

/** Looks creases up in a mesh's edges; those that name no edge are left out, and of several for one edge the sharpest counts. */
export function sharpnessOf({ edges: pairs, edgeSharpness, points, pointSharpness }: Creases, edges: EdgeTable, V: number): Sharpness {
  const ofPoints = new Float32Array(V);
  for (let i = 0; i < points.length; i++) ofPoints[points[i]] = Math.max(ofPoints[points[i]], held(pointSharpness[i]));
  // a list of creases at the lower point of each
  const first = new Uint32Array(V).fill(NONE);
  const next = new Uint32Array(edgeSharpness.length);
  for (let i = 0; i < edgeSharpness.length; i++) {
    const low = Math.min(pairs[2 * i], pairs[2 * i + 1]);
    next[i] = first[low];
    first[low] = i;
  }
  const E = edges.edgeFaceCounts.length;
  const ofEdges = new Float32Array(E);
  for (let e = 0; e < E; e++) {
    const a = edges.edgeVerts[2 * e];
    const b = edges.edgeVerts[2 * e + 1];
    const high = Math.max(a, b);
    for (let i = first[Math.min(a, b)]; i !== NONE; i = next[i])
      if (Math.max(pairs[2 * i], pairs[2 * i + 1]) === high) ofEdges[e] = Math.max(ofEdges[e], held(edgeSharpness[i]));
  }
  return { edges: ofEdges, points: ofPoints };
}

const held = (s: number): number => (s >= EVER_SHARP ? Infinity : s);

/** The creases of the next level by the uniform rule: sharpness falls by one a level; null where none is left.
 *  @param V points of this level, after which the next level's edge points are numbered */
export function creasesBelow({ edges: ofEdges, points: ofPoints }: Sharpness, { edgeVerts }: EdgeTable, V: number): Creases | null {
  const edges: number[] = [];
  const edgeSharpness: number[] = [];
  for (let e = 0; e < ofEdges.length; e++) {
    if (ofEdges[e] <= 1) continue;
    edges.push(edgeVerts[2 * e], V + e, V + e, edgeVerts[2 * e + 1]);
    edgeSharpness.push(ofEdges[e] - 1, ofEdges[e] - 1);
  }
  const points: number[] = [];
  const pointSharpness: number[] = [];
  for (let v = 0; v < ofPoints.length; v++) {
    if (ofPoints[v] <= 1) continue;
    points.push(v);
    pointSharpness.push(ofPoints[v] - 1);
  }
  if (edges.length === 0 && points.length === 0) return null;
  return {
    edges: Uint32Array.from(edges),
    edgeSharpness: Float32Array.from(edgeSharpness),
    points: Uint32Array.from(points),
    pointSharpness: Float32Array.from(pointSharpness),
  };
}

/** The greatest sharpness that ends some time; 0 where all of it lasts. */
export function fadingLevels({ edges, points }: Sharpness): number {
  let most = 0;
  for (const values of [edges, points]) for (const s of values) if (s > most && s !== Infinity) most = s;
  return Math.ceil(most);
}
