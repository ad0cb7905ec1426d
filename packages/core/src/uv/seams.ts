import type { PolyMesh } from '../mesh/poly-mesh';
import { hasCompleteUvs } from '../mesh/poly-mesh';
import type { EdgeTable } from '../mesh/topology';
import { buildEdges, connectivityOf } from '../mesh/topology';
import { islandsOf } from './islands';

/** Edges of a mesh, and those along which its islands part. */
export interface MeshSeams {
  readonly faceOffsets: Uint32Array; // F + 1
  readonly faceVerts: Uint32Array; // C
  readonly edges: EdgeTable;
  /** E: 1 where UVs part, also at open borders. All 0 without UVs. */
  readonly seam: Uint8Array;
}

/** Linear in corners. */
export function meshSeams(mesh: PolyMesh): MeshSeams {
  const { faceOffsets, faceVerts } = mesh;
  const edges = buildEdges(connectivityOf(mesh));
  const seam = new Uint8Array(edges.edgeFaceCounts.length);
  if (hasCompleteUvs(mesh)) {
    const own = islandsOf(mesh).edges;
    for (let c = 0; c < faceVerts.length; c++) if (own.edgeFaceCounts[own.cornerEdges[c]] === 1) seam[edges.cornerEdges[c]] = 1;
  }
  return { faceOffsets, faceVerts, edges, seam };
}

/** The row of edges that an edge belongs to: at a point of four edges and four faces it goes straight on, elsewhere it ends. In no order. */
export function edgeRow({ faceOffsets, faceVerts, edges }: MeshSeams, start: number): number[] {
  const { cornerEdges, edgeVerts } = edges;
  const F = faceOffsets.length - 1;
  // corners at the points that the row may pass: gathered once, for a row is as long as the mesh is wide
  const around = new Map<number, number[]>();
  for (let c = 0; c < faceVerts.length; c++) {
    const list = around.get(faceVerts[c]);
    if (list === undefined) around.set(faceVerts[c], [c]);
    else list.push(c);
  }
  const faceOf = new Uint32Array(faceVerts.length);
  for (let f = 0; f < F; f++) faceOf.fill(f, faceOffsets[f], faceOffsets[f + 1]);
  const before = (c: number): number => (c === faceOffsets[faceOf[c]] ? faceOffsets[faceOf[c] + 1] - 1 : c - 1);
  /** The edge across a point; -1 where there is none. */
  const across = (edge: number, point: number): number => {
    const corners = around.get(point) ?? [];
    if (corners.length !== 4) return -1;
    // every face there has two edges at the point: the one across shares no face with ours
    const beside = new Set<number>([edge]);
    const all = new Set<number>();
    for (const c of corners) {
      const [p, q] = [cornerEdges[c], cornerEdges[before(c)]];
      all.add(p).add(q);
      if (p === edge || q === edge) beside.add(p).add(q);
    }
    const rest = [...all].filter((e) => !beside.has(e));
    return all.size === 4 && rest.length === 1 ? rest[0] : -1;
  };
  const row = new Set<number>([start]);
  for (const end of [0, 1]) {
    let edge = start;
    let point = edgeVerts[2 * start + end];
    for (;;) {
      const next = across(edge, point);
      if (next < 0 || row.has(next)) break;
      row.add(next);
      point = edgeVerts[2 * next] === point ? edgeVerts[2 * next + 1] : edgeVerts[2 * next];
      edge = next;
    }
  }
  return [...row];
}

/** Ends of some edges, two points each. @param marked 1 for each of them */
export const endsOfEdges = ({ edgeVerts }: EdgeTable, marked: Uint8Array): Uint32Array =>
  Uint32Array.from([...marked.keys()].flatMap((e) => (marked[e] === 1 ? [edgeVerts[2 * e], edgeVerts[2 * e + 1]] : [])));

/** Whether a mesh has no face across an edge, so that it is a seam in any case. @returns 1 for each open edge */
export const openEdges = ({ edgeFaceCounts }: EdgeTable): Uint8Array => edgeFaceCounts.map((n) => Number(n === 1));
