import { polyMesh } from '../mesh/poly-mesh';
import type { FaceGraph } from './face-graph';
import { acrossEdge, faceGraph } from './face-graph';
import { nearFlatPieces } from './near-flat';

/** A lighter stand-in of a surface: its pieces as polygons in its own points. */
export interface Coarse {
  readonly graph: FaceGraph;
  /** Of each of its edges, the edges of the surface that it stands for, in order. */
  readonly chains: readonly (readonly number[])[];
}

/** How far the faces of one piece may turn from each other, as `nearFlatPieces` measures it. */
const SPREAD = 0.01;
/** Pieces are compact rather than flat: their polygons then lie close to the surface. */
const ROUNDNESS = 0.1;
/** Borders keep points that lie further than this share of a chord beside it. */
const OFF_CHORD = 0.15;

/** Border of a piece, counter-clockwise: edge `edges[i]` runs from `points[i]` to the next. */
interface Loop {
  readonly points: number[];
  readonly edges: number[];
}

/** About `wanted` polygons of several faces each; corners are where three or more of them meet and where borders bend.
 *  @param isSeam edges that must stay edges */
export function coarsen(graph: FaceGraph, cost: Float64Array, isSeam: (edge: number) => boolean, wanted: number): Coarse {
  const pieces = nearFlatPieces(graph, cost, isSeam, SPREAD, Math.ceil((1.5 * graph.faceArea.length) / wanted), ROUNDNESS);
  const isBorder = (e: number): boolean =>
    graph.passable[e] === 0 || isSeam(e) || pieces[graph.edgeFaces[2 * e]] !== pieces[graph.edgeFaces[2 * e + 1]];
  const loops = loopsOf(graph, pieces, isBorder);
  const isCorner = cornersOf(graph, loops, isBorder, isSeam);

  const chainOf = new Map<string, number[]>();
  const offsets = [0];
  const verts: number[] = [];
  for (const loop of loops) {
    for (const { points, edges } of runsOf(loop, isCorner)) {
      verts.push(points[0]);
      chainOf.set(pairOf(points[0], points[points.length - 1]), edges);
    }
    offsets.push(verts.length);
  }
  const light = faceGraph(
    polyMesh({ positions: graph.mesh.positions, faceOffsets: Uint32Array.from(offsets), faceVerts: Uint32Array.from(verts) }),
  );
  const { edgeVerts } = light.edges;
  const chains = Array.from(light.passable, (_, e) => chainOf.get(pairOf(edgeVerts[2 * e], edgeVerts[2 * e + 1])) ?? []);
  chains.forEach((chain, e) => {
    if (!chain.every((fine) => graph.passable[fine] === 1)) light.passable[e] = 0;
  });
  return { graph: light, chains };
}

const pairOf = (a: number, b: number): string => (a < b ? `${a} ${b}` : `${b} ${a}`);

/** The border of each piece, which is a disc. */
function loopsOf(graph: FaceGraph, pieces: Uint32Array, isBorder: (edge: number) => boolean): Loop[] {
  const { mesh, edges } = graph;
  const { faceOffsets, faceVerts } = mesh;
  const next = (f: number, c: number): number => (c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1);
  const done = new Set<number>();
  const loops: Loop[] = [];
  for (let f = 0; f < pieces.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      if (done.has(pieces[f]) || !isBorder(edges.cornerEdges[c])) continue;
      done.add(pieces[f]);
      const loop: Loop = { points: [], edges: [] };
      let [face, corner] = [f, c];
      do {
        loop.points.push(faceVerts[corner]);
        loop.edges.push(edges.cornerEdges[corner]);
        corner = next(face, corner);
        // around the point, over inner edges, to the next border
        while (!isBorder(edges.cornerEdges[corner])) {
          const e = edges.cornerEdges[corner];
          face = acrossEdge(graph, e, face);
          corner = faceOffsets[face];
          while (edges.cornerEdges[corner] !== e) corner++;
          corner = next(face, corner);
        }
      } while (corner !== c && loop.edges.length <= faceVerts.length);
      loops[pieces[f]] = loop;
    }
  return loops;
}

/** Points that become corners, the same for the pieces on both sides of a border. */
function cornersOf(
  graph: FaceGraph,
  loops: readonly Loop[],
  isBorder: (edge: number) => boolean,
  isSeam: (edge: number) => boolean,
): Uint8Array {
  const { edges, mesh, passable } = graph;
  const isCorner = new Uint8Array(mesh.positions.length / 3);
  const degree = new Uint32Array(isCorner.length);
  for (let e = 0; e < passable.length; e++)
    if (isBorder(e)) for (const v of [edges.edgeVerts[2 * e], edges.edgeVerts[2 * e + 1]]) degree[v]++;
  const kind = (e: number): number => (passable[e] === 0 ? 2 : isSeam(e) ? 1 : 0);
  for (const { points, edges: own } of loops)
    points.forEach((p, i) => {
      if (degree[p] !== 2 || kind(own[i]) !== kind(own[(i || own.length) - 1])) isCorner[p] = 1;
    });
  for (const { points } of loops) if (!points.some((p) => isCorner[p] === 1)) isCorner[Math.min(...points)] = 1;
  const runs = new Map<number, Loop>();
  for (const loop of loops) for (const run of runsOf(loop, isCorner)) runs.set(Math.min(...run.edges), run);
  const taken = new Set<string>();
  // the shortest first: one straight edge only can join two points
  for (const { points } of [...runs.values()].sort((a, b) => a.edges.length - b.edges.length))
    keepBends(graph, points, isCorner, (a, b) => {
      const pair = pairOf(a, b);
      return a !== b && !taken.has(pair) && taken.add(pair) !== undefined;
    });
  return isCorner;
}

/** A loop from corner to corner; `points` of a run have one more than its `edges`. */
function runsOf({ points, edges }: Loop, isCorner: Uint8Array): Loop[] {
  const n = points.length;
  const first = points.findIndex((p) => isCorner[p] === 1);
  const runs: Loop[] = [];
  for (let k = 0; k < n; k++) {
    const i = (first + k) % n;
    if (isCorner[points[i]] === 1) runs.push({ points: [points[i]], edges: [] });
    const run = runs[runs.length - 1];
    run.edges.push(edges[i]);
    run.points.push(points[(i + 1) % n]);
  }
  return runs;
}

/** Makes points corners until the border follows its chords (Douglas, Peucker 1973) and each chord may be had. */
function keepBends(
  { mesh: { positions: p } }: FaceGraph,
  points: readonly number[],
  isCorner: Uint8Array,
  mayJoin: (a: number, b: number) => boolean,
): void {
  const open: [number, number][] = [[0, points.length - 1]];
  for (let next = open.pop(); next !== undefined; next = open.pop()) {
    const [i, j] = next;
    const [a, b] = [3 * points[i], 3 * points[j]];
    const chord = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const length = Math.hypot(...chord);
    let [far, at] = [0, (i + j) >> 1];
    for (let k = i + 1; k < j; k++) {
      const v = [0, 1, 2].map((d) => p[3 * points[k] + d] - p[a + d]);
      const along = length > 0 ? (v[0] * chord[0] + v[1] * chord[1] + v[2] * chord[2]) / length ** 2 : 0;
      const off = Math.hypot(...v.map((x, d) => x - along * chord[d]));
      if (off > far) [far, at] = [off, k];
    }
    if (j - i < 2 || (far <= OFF_CHORD * length && mayJoin(points[i], points[j]))) continue;
    isCorner[points[at]] = 1;
    open.push([i, at], [at, j]);
  }
}
