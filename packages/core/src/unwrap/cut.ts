import type { FaceGraph } from './face-graph';
import { acrossEdge } from './face-graph';

/** How a surface is cut: which edges are seams, and what hangs together between them. */
export interface Cut {
  readonly graph: FaceGraph;
  readonly cost: Float64Array; // E, of a seam there
  readonly seam: Uint8Array; // E: 1 where cut; edges that are not passable always are
  readonly kept: Uint8Array; // E: 1 where the seam was asked for
  readonly chartOf: Uint32Array; // F
  readonly faces: Map<number, Uint32Array>; // of each chart
}

/** Parts of some faces that hang together across edges that are no seams, in the order in which their first faces are given. */
export function connectedParts({ graph, seam }: Pick<Cut, 'graph' | 'seam'>, faces: Uint32Array): Uint32Array[] {
  const { mesh, edges, passable } = graph;
  const left = new Set(faces);
  const parts: Uint32Array[] = [];
  for (const start of faces) {
    if (!left.delete(start)) continue;
    const part = [start];
    for (let i = 0; i < part.length; i++)
      for (let c = mesh.faceOffsets[part[i]]; c < mesh.faceOffsets[part[i] + 1]; c++) {
        const e = edges.cornerEdges[c];
        if (seam[e] === 1 || passable[e] === 0) continue;
        const g = acrossEdge(graph, e, part[i]);
        if (left.delete(g)) part.push(g);
      }
    parts.push(Uint32Array.from(part).sort());
  }
  return parts;
}

/** A run of seam edges between two places where more than two seams, or a border, meet. */
export interface Chain {
  readonly edges: readonly number[]; // in order
  readonly ends: readonly [number, number]; // points; equal where it is closed
  readonly charts: readonly [number, number]; // on both sides, the smaller number first
}

/** Every run of seams that was not asked for. */
export function seamChains({ graph, seam, kept, chartOf }: Cut): Chain[] {
  const { edges, edgeFaces, passable, mesh } = graph;
  const E = seam.length;
  const degree = new Uint32Array(mesh.positions.length / 3);
  const at = new Map<number, number[]>();
  const loose = (e: number): boolean => seam[e] === 1 && kept[e] === 0 && passable[e] === 1;
  for (let e = 0; e < E; e++) {
    if (seam[e] === 0 && passable[e] === 1) continue;
    for (const v of [edges.edgeVerts[2 * e], edges.edgeVerts[2 * e + 1]]) {
      degree[v]++;
      if (!loose(e)) continue;
      const list = at.get(v);
      if (list === undefined) at.set(v, [e]);
      else list.push(e);
    }
  }
  const pair = (e: number): [number, number] => {
    const [a, b] = [chartOf[edgeFaces[2 * e]], chartOf[edgeFaces[2 * e + 1]]];
    return a < b ? [a, b] : [b, a];
  };
  const done = new Uint8Array(E);
  const chains: Chain[] = [];
  for (let e = 0; e < E; e++) {
    if (!loose(e) || done[e] === 1) continue;
    done[e] = 1;
    const charts = pair(e);
    const run = [e];
    const follow = (from: number, push: (edge: number) => void): number => {
      let v = from;
      for (;;) {
        if (degree[v] !== 2) return v;
        const next = at.get(v)?.find((n) => done[n] === 0);
        if (next === undefined) return v;
        const [a, b] = pair(next);
        if (a !== charts[0] || b !== charts[1]) return v;
        done[next] = 1;
        push(next);
        v = edges.edgeVerts[2 * next] === v ? edges.edgeVerts[2 * next + 1] : edges.edgeVerts[2 * next];
      }
    };
    const last = follow(edges.edgeVerts[2 * e + 1], (n) => run.push(n));
    const first = follow(edges.edgeVerts[2 * e], (n) => run.unshift(n));
    chains.push({ edges: run, ends: [first, last], charts });
  }
  return chains;
}

/** Merges a chain's charts into the first of them, or leaves the one there is. */
export function openChain(cut: Cut, { edges, charts: [a, b] }: Chain): void {
  for (const e of edges) cut.seam[e] = 0;
  if (a === b) return;
  for (const f of cut.faces.get(b) as Uint32Array) cut.chartOf[f] = a;
  cut.faces.set(a, facesOf(cut, [a, b]));
  cut.faces.delete(b);
}

/** Faces of two charts, or of one, ascending. */
export const facesOf = ({ faces }: Cut, [a, b]: readonly [number, number]): Uint32Array =>
  a === b ? (faces.get(a) as Uint32Array) : Uint32Array.from([...(faces.get(a) as Uint32Array), ...(faces.get(b) as Uint32Array)]).sort();

/** Numbers what hangs together. */
export function renumber(cut: Cut): void {
  cut.faces.clear();
  connectedParts(cut, Uint32Array.from(cut.chartOf.keys())).forEach((faces, i) => {
    cut.faces.set(i, faces);
    for (const f of faces) cut.chartOf[f] = i;
  });
}
