import type { FaceGraph } from './face-graph';
import { acrossEdge } from './face-graph';
import { UnionFind } from '../runtime/union-find';

/** A run of faces cut loose along seams, with a point of its own for each side of a seam. */
export interface Chart {
  readonly faces: Uint32Array;
  /** Point of the chart at each corner of its faces, faces in order. */
  readonly cornerPoints: Uint32Array;
  readonly points: Uint32Array; // N: point of the mesh
  readonly triangles: Uint32Array; // 3 T, points of the chart
  /** Points along the border, the surface to their left; null unless there is one border only and the chart is a disc. */
  readonly border: Uint32Array | null;
}

/** Cuts out faces. They hang together across edges that are passable and no seam.
 *  @param isSeam of an edge of the graph */
export function cutChart(graph: FaceGraph, faces: Uint32Array, isSeam: (edge: number) => boolean): Chart {
  const { mesh, edges, passable, triangles, faceTriangles } = graph;
  const { faceOffsets, faceVerts } = mesh;
  const local = new Map<number, number>(); // face -> first corner within the chart
  let C = 0;
  for (const f of faces) {
    local.set(f, C);
    C += faceOffsets[f + 1] - faceOffsets[f];
  }
  // corners that an edge joins are one point
  const sets = new UnionFind(C);
  const borderFrom: number[] = []; // corners at the start of border edges
  const nextOf = (f: number, c: number): number => (c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1);
  let inner = 0;
  for (const f of faces) {
    const o = local.get(f) as number;
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      const g = acrossEdge(graph, e, f);
      const there = passable[e] === 1 && !isSeam(e) ? local.get(g) : undefined;
      if (there === undefined) {
        borderFrom.push(o + c - faceOffsets[f]);
        continue;
      }
      if (g < f) continue;
      inner++;
      let d = faceOffsets[g];
      while (edges.cornerEdges[d] !== e) d++;
      // the other face runs the other way
      sets.join(o + c - faceOffsets[f], there + nextOf(g, d) - faceOffsets[g]);
      sets.join(o + nextOf(f, c) - faceOffsets[f], there + d - faceOffsets[g]);
    }
  }
  const cornerPoints = new Uint32Array(C);
  const points: number[] = [];
  for (const f of faces) {
    const o = local.get(f) as number;
    for (let c = 0; c < faceOffsets[f + 1] - faceOffsets[f]; c++) {
      const r = sets.root(o + c);
      cornerPoints[o + c] = r === o + c ? points.push(faceVerts[faceOffsets[f] + c]) - 1 : cornerPoints[r];
    }
  }
  const tri: number[] = [];
  for (const f of faces) {
    const shift = (local.get(f) as number) - faceOffsets[f];
    for (let i = 3 * faceTriangles[f]; i < 3 * faceTriangles[f + 1]; i++) tri.push(cornerPoints[triangles.corners[i] + shift]);
  }
  const euler = points.length - (inner + borderFrom.length) + faces.length;
  return {
    faces,
    cornerPoints,
    points: Uint32Array.from(points),
    triangles: Uint32Array.from(tri),
    border: euler === 1 ? loopOf(graph, faces, cornerPoints, borderFrom) : null,
  };
}

/** Border edges in order; null when they make more than one loop. */
function loopOf({ mesh }: FaceGraph, faces: Uint32Array, cornerPoints: Uint32Array, from: readonly number[]): Uint32Array | null {
  const next = new Map<number, number>();
  const nextCorner = new Uint32Array(cornerPoints.length);
  let o = 0;
  for (const f of faces) {
    const n = mesh.faceOffsets[f + 1] - mesh.faceOffsets[f];
    for (let k = 0; k < n; k++) nextCorner[o + k] = o + ((k + 1) % n);
    o += n;
  }
  for (const c of from) next.set(cornerPoints[c], cornerPoints[nextCorner[c]]);
  if (next.size !== from.length || from.length < 3) return null;
  const loop = new Uint32Array(from.length);
  let p = cornerPoints[from[0]];
  for (let i = 0; i < loop.length; i++) {
    loop[i] = p;
    p = next.get(p) as number;
  }
  return p === loop[0] && new Set(loop).size === loop.length ? loop : null;
}
