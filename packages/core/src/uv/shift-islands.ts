import type { Mended } from '../mesh/mends';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import { islandsOf } from './islands';
import { placedIslands } from './placed-islands';

const COLUMNS = 10;

/** Moves islands whose middle lies outside the numbered tiles (u below 0 or beyond 10, v below 0) by whole tiles to where they lie inside: a map
 *  looks the same. @returns `count`: islands that were moved. @throws InvalidInputError NO_UVS */
export function shiftIslands(mesh: PolyMesh): Mended {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { ofFace, count } = islandsOf(mesh);
  const sums = new Float64Array(3 * count);
  for (let f = 0; f < faceCount(mesh); f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      sums[3 * ofFace[f]] += uvs[2 * faceUvs[c]];
      sums[3 * ofFace[f] + 1] += uvs[2 * faceUvs[c] + 1];
      sums[3 * ofFace[f] + 2]++;
    }
  const shifts = Array.from({ length: count }, (_, i): readonly [number, number] => {
    const [u, v] = [Math.floor(sums[3 * i] / sums[3 * i + 2]), Math.floor(sums[3 * i + 1] / sums[3 * i + 2])];
    return [u < 0 ? -u : (u % COLUMNS) - u, v < 0 ? -v : 0];
  });
  const moved = shifts.filter(([u, v]) => u !== 0 || v !== 0).length;
  if (moved === 0) return { mesh, count: 0 };
  return {
    mesh: placedIslands(mesh, ofFace, (island) => {
      const [du, dv] = shifts[island];
      return du === 0 && dv === 0 ? null : (u, v) => [u + du, v + dv];
    }),
    count: moved,
  };
}
