import type { Connectivity, EdgeTable } from './topology';
import { UnionFind } from '../runtime/union-find';

const NONE = 0xffffffff;

/** Points whose faces do not form one fan: two pieces that touch in a point, a bow-tie. Faces belong to one fan where they share an edge that
 *  no third face has.
 *  @returns their numbers, ascending */
export function pointsOfSeveralFans({ faceOffsets, faceVerts, vertCount }: Connectivity, edges: EdgeTable): Uint32Array {
  const { cornerEdges, edgeVerts, edgeFaceCounts } = edges;
  const C = faceVerts.length;
  const prev = new Uint32Array(C);
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f], before = faceOffsets[f + 1] - 1; c < faceOffsets[f + 1]; before = c++) prev[c] = before;
  // corners of one fan are joined; every point has as many fans as corners less joinings
  const sets = new UnionFind(C);
  const fans = new Int32Array(vertCount);
  for (const v of faceVerts) fans[v]++;
  // corner of the edge's first face at each of its ends
  const first = new Uint32Array(2 * edgeFaceCounts.length).fill(NONE);
  const meet = (edge: number, corner: number): void => {
    if (edgeFaceCounts[edge] !== 2) return;
    const v = faceVerts[corner];
    const end = 2 * edge + (edgeVerts[2 * edge] === v ? 0 : 1);
    if (first[end] === NONE) {
      first[end] = corner;
      return;
    }
    if (sets.join(first[end], corner)) fans[v]--;
  };
  for (let c = 0; c < C; c++) {
    meet(cornerEdges[c], c);
    meet(cornerEdges[prev[c]], c);
  }
  const out: number[] = [];
  for (let v = 0; v < vertCount; v++) if (fans[v] > 1) out.push(v);
  return Uint32Array.from(out);
}
