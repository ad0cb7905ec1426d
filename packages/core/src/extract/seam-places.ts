import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import { buildEdges } from '../mesh/topology';
import { connectivityOf } from '../subdivision/refine';
import { tileOrigin } from '../uv/tiles';

/** An edge of the base that lies at two places of the Sheet. */
export interface SeamEdge {
  readonly from: number; // point
  readonly to: number;
  /** UVs of `from` and `to` relative to the tile, on both sides. */
  readonly sides: readonly { readonly tile: number; readonly uv: readonly [number, number, number, number] }[];
}

/** Edges whose two faces give them different UVs, or that lie in different tiles. Edges of three or more faces give each side.
 *  @param tiles tile of each face of `mesh` */
export function seamEdges(mesh: PolyMesh, tiles: (face: number) => number): SeamEdge[] {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { cornerEdges, edgeVerts, edgeFaceCounts } = buildEdges(connectivityOf(mesh));
  const first = new Int32Array(edgeFaceCounts.length).fill(-1);
  const firstFace = new Uint32Array(edgeFaceCounts.length);
  const found = new Map<number, SeamEdge['sides'][number][]>();
  const sideOf = (corner: number, face: number, edge: number): SeamEdge['sides'][number] => {
    const end = corner + 1 === mesh.faceOffsets[face + 1] ? mesh.faceOffsets[face] : corner + 1;
    const [a, b] = mesh.faceVerts[corner] === edgeVerts[2 * edge] ? [corner, end] : [end, corner];
    const tile = tiles(face);
    const [u0, v0] = tileOrigin(tile);
    const [i, j] = [2 * faceUvs[a], 2 * faceUvs[b]];
    return { tile, uv: [uvs[i] - u0, uvs[i + 1] - v0, uvs[j] - u0, uvs[j + 1] - v0] };
  };
  for (let f = 0; f < faceCount(mesh); f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const e = cornerEdges[c];
      if (edgeFaceCounts[e] < 2) continue;
      if (first[e] < 0) {
        first[e] = c;
        firstFace[e] = f;
        continue;
      }
      const here = sideOf(c, f, e);
      const there = sideOf(first[e], firstFace[e], e);
      if (here.tile === there.tile && here.uv.every((x, k) => x === there.uv[k])) continue;
      const sides = found.get(e);
      if (sides) sides.push(here);
      else found.set(e, [there, here]);
    }
  return [...found].map(([e, sides]) => ({ from: edgeVerts[2 * e], to: edgeVerts[2 * e + 1], sides }));
}
