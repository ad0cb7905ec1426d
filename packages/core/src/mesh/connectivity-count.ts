import type { Connectivity } from './topology';
import { buildEdges, OPPOSED } from './topology';

/** What can be counted of a connectivity whatever the order of its points and faces. Two meshes that differ in it differ; two that agree
 *  in it are most likely the same. */
export interface ConnectivityCount {
  readonly points: number;
  readonly edges: number;
  readonly faces: number;
  readonly corners: number;
  /** How many points have so many edges; those with four are left out, since refining adds nothing but them. */
  readonly pointsByEdges: ReadonlyMap<number, number>;
  readonly edgesByFaces: ReadonlyMap<number, number>;
  readonly facesByCorners: ReadonlyMap<number, number>;
}

const REGULAR = 4;

/** Linear in corners. */
export function connectivityCount(mesh: Connectivity): ConnectivityCount {
  const { faceOffsets, faceVerts, vertCount: points } = mesh;
  const { edgeVerts, edgeFaceCounts } = buildEdges(mesh);
  const edgesOfPoint = new Uint32Array(points);
  for (let i = 0; i < edgeVerts.length; i++) edgesOfPoint[edgeVerts[i]]++;
  const faces = faceOffsets.length - 1;
  const sizes = Uint32Array.from({ length: faces }, (_, f) => faceOffsets[f + 1] - faceOffsets[f]);
  return {
    points,
    edges: edgeFaceCounts.length,
    faces,
    corners: faceVerts.length,
    pointsByEdges: irregular(tally(edgesOfPoint)),
    edgesByFaces: tally(edgeFaceCounts.map((n) => (n === OPPOSED ? 2 : n))),
    facesByCorners: tally(sizes),
  };
}

/** What one step of Catmull-Clark refinement makes of a count: old points keep their edges, a point on an edge has two and one a face there,
 *  a point in a face one a corner (Catmull, Clark 1978). */
export function refinedCount({ points, edges, faces, corners, ...by }: ConnectivityCount): ConnectivityCount {
  const pointsByEdges = new Map(by.pointsByEdges);
  const add = (n: number, count: number): void => void pointsByEdges.set(n, (pointsByEdges.get(n) ?? 0) + count);
  for (const [n, count] of by.edgesByFaces) add(n + 2, count);
  for (const [n, count] of by.facesByCorners) add(n, count);
  const edgesByFaces = new Map([...by.edgesByFaces].map(([n, count]) => [n, 2 * count]));
  edgesByFaces.set(2, (edgesByFaces.get(2) ?? 0) + corners);
  return {
    points: points + edges + faces,
    edges: 2 * edges + corners,
    faces: corners,
    corners: 4 * corners,
    pointsByEdges: irregular(pointsByEdges),
    edgesByFaces,
    facesByCorners: new Map([[4, corners]]),
  };
}

/** How many steps of refinement lead from one mesh to another, 1 or more, by their counts; null where none do. */
export function stepsBetween(low: ConnectivityCount, fine: ConnectivityCount): number | null {
  let count = low;
  for (let steps = 1; count.corners < fine.corners; steps++) {
    count = refinedCount(count);
    if (sameCount(count, fine)) return steps;
  }
  return null;
}

export const sameCount = (a: ConnectivityCount, b: ConnectivityCount): boolean =>
  a.points === b.points &&
  a.edges === b.edges &&
  a.faces === b.faces &&
  a.corners === b.corners &&
  sameTally(a.pointsByEdges, b.pointsByEdges) &&
  sameTally(a.edgesByFaces, b.edgesByFaces) &&
  sameTally(a.facesByCorners, b.facesByCorners);

const sameTally = (a: ReadonlyMap<number, number>, b: ReadonlyMap<number, number>): boolean =>
  a.size === b.size && [...a].every(([n, count]) => b.get(n) === count);

function tally(values: Uint32Array | Uint8Array): Map<number, number> {
  const out = new Map<number, number>();
  let most = 0;
  for (let i = 0; i < values.length; i++) if (values[i] > most) most = values[i];
  const counts = new Uint32Array(most + 1);
  for (let i = 0; i < values.length; i++) counts[values[i]]++;
  for (let n = 0; n <= most; n++) if (counts[n] > 0) out.set(n, counts[n]);
  return out;
}

const irregular = (by: Map<number, number>): Map<number, number> => {
  by.delete(REGULAR);
  return by;
};
