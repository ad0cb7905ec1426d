import { acrossEdge } from './face-graph';
import type { FaceGraph } from './face-graph';
import { Heap } from '../runtime/heap';
import { UnionFind } from '../runtime/union-find';

/** How far normals may spread within a piece: the mean of 1 - cos against the mean normal. */
export const MOST_SPREAD = 0.09;
/** How long a piece's border may be: its square over that of a circle of the same area. A strip is 3.2 at one to eight. */
const MOST_BORDER = 3;
/** What a long border costs against spread normals: pieces become round rather than long. */
const ROUNDNESS = 0.01;

/** Parts a surface into nearly flat discs: faces are joined across the border that spreads the normals least (Garland, Willmott, Heckbert,
 *  Hierarchical Face Clustering on Polygonal Surfaces, 2001).
 *  @param isSeam edges that nothing is joined across
 *  @param mostFaces of a piece
 *  @param roundness what a long border costs against spread normals
 *  @returns uint32[F], pieces numbered by their first face */
export function nearFlatPieces(
  graph: FaceGraph,
  cost: Float64Array,
  isSeam: (edge: number) => boolean,
  mostSpread = MOST_SPREAD,
  mostFaces = Infinity,
  roundness = ROUNDNESS,
): Uint32Array {
  const { mesh, edges, passable, edgeLength, faceNormal, faceArea } = graph;
  const F = faceArea.length;
  const pieces = new UnionFind(F);
  const faces: number[][] = Array.from({ length: F }, (_, f) => [f]);
  const normal = faceNormal.slice();
  const area = faceArea.slice();
  const around = new Float64Array(F); // length of a piece's border
  const version = new Uint32Array(F);
  const joinable = (e: number): boolean => passable[e] === 1 && !isSeam(e);
  const neighbours: Map<number, { length: number; cost: number }>[] = [];
  for (let f = 0; f < F; f++) {
    const others = new Map<number, { length: number; cost: number }>();
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      around[f] += edgeLength[e];
      if (!joinable(e)) continue;
      const g = acrossEdge(graph, e, f);
      const shared = others.get(g) ?? { length: 0, cost: 0 };
      others.set(g, { length: shared.length + edgeLength[e], cost: shared.cost + cost[e] });
    }
    neighbours.push(others);
  }
  const heap = new Heap<{ a: number; b: number; va: number; vb: number }>();
  const offer = (a: number, b: number): void => {
    const shared = neighbours[a].get(b);
    if (shared === undefined || faces[a].length + faces[b].length > mostFaces) return;
    const both = area[a] + area[b];
    const n = Math.hypot(normal[3 * a] + normal[3 * b], normal[3 * a + 1] + normal[3 * b + 1], normal[3 * a + 2] + normal[3 * b + 2]);
    const spread = both > 0 ? 1 - n / both : 0;
    if (spread > mostSpread) return;
    const border = around[a] + around[b] - 2 * shared.length;
    const round = both > 0 ? (border * border) / (4 * Math.PI * both) : 0;
    if (round > MOST_BORDER) return;
    // where a seam is cheap, pieces part sooner
    const dear = shared.length > 0 ? shared.cost / shared.length : 1;
    heap.push((spread + roundness * round) / (0.2 + dear), { a, b, va: version[a], vb: version[b] });
  };
  for (let f = 0; f < F; f++) for (const g of neighbours[f].keys()) if (f < g) offer(f, g);
  for (let next = heap.pop(); next !== undefined; next = heap.pop()) {
    const { a, b, va, vb } = next.value;
    if (pieces.root(a) !== a || pieces.root(b) !== b || version[a] !== va || version[b] !== vb) continue;
    const [small, large] = faces[a].length < faces[b].length ? [a, b] : [b, a];
    if (!meetInOnePath(graph, faces[small], (f) => pieces.root(f) === large, joinable)) continue;
    const shared = neighbours[small].get(large) ?? { length: 0, cost: 0 };
    pieces.under(small, large);
    for (const f of faces[small]) faces[large].push(f);
    faces[small] = [];
    area[large] += area[small];
    for (let k = 0; k < 3; k++) normal[3 * large + k] += normal[3 * small + k];
    around[large] += around[small] - 2 * shared.length;
    version[large]++;
    const others = neighbours[large];
    others.delete(small);
    for (const [g, s] of neighbours[small]) {
      if (g === large) continue;
      const sum = others.get(g) ?? { length: 0, cost: 0 };
      const joined = { length: sum.length + s.length, cost: sum.cost + s.cost };
      others.set(g, joined);
      neighbours[g].delete(small);
      neighbours[g].set(large, joined);
    }
    for (const g of others.keys()) offer(large, g);
  }
  return pieces.numbered().of;
}

/** Whether the border that some faces share with others is one path, so that two discs joined along it are a disc. */
function meetInOnePath(
  graph: FaceGraph,
  faces: readonly number[],
  isOther: (face: number) => boolean,
  joinable: (edge: number) => boolean,
): boolean {
  const { mesh, edges } = graph;
  const degree = new Map<number, number>();
  let shared = 0;
  for (const f of faces)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      const g = acrossEdge(graph, e, f);
      if (g < 0 || !isOther(g) || !joinable(e)) continue;
      for (const v of [edges.edgeVerts[2 * e], edges.edgeVerts[2 * e + 1]]) degree.set(v, (degree.get(v) ?? 0) + 1);
      shared++;
    }
  return shared > 0 && degree.size - shared === 1 && [...degree.values()].every((d) => d <= 2);
}
