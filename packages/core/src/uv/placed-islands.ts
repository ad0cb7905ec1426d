import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';

/** A mesh with some islands placed anew. A UV that two islands share is given to each of them.
 *  @param ofFace island of each face
 *  @param place where a UV of an island goes; null for an island that stays
 *  @throws InvalidInputError NO_UVS */
export function placedIslands(
  mesh: PolyMesh,
  ofFace: Uint32Array,
  place: (island: number) => ((u: number, v: number) => readonly [number, number]) | null,
): PolyMesh {
  const { uvs, faceUvs } = requireUvs(mesh);
  const values: number[] = [...uvs];
  const owner = new Int32Array(uvs.length / 2).fill(-1);
  const copies = new Map<string, number>();
  const out = faceUvs.slice();
  const places = new Map<number, ReturnType<typeof place>>();
  for (let f = 0; f < faceCount(mesh); f++) {
    const island = ofFace[f];
    if (!places.has(island)) places.set(island, place(island));
    const to = places.get(island) ?? null;
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const t = faceUvs[c];
      if (owner[t] === island) continue;
      const [u, v] = [uvs[2 * t], uvs[2 * t + 1]];
      const [x, y] = to === null ? [u, v] : to(u, v);
      if (owner[t] < 0) {
        owner[t] = island;
        values[2 * t] = x;
        values[2 * t + 1] = y;
        continue;
      }
      const key = `${t} ${island}`;
      let own = copies.get(key);
      if (own === undefined) {
        own = values.push(x, y) / 2 - 1;
        copies.set(key, own);
      }
      out[c] = own;
    }
  }
  return { ...mesh, uvs: Float32Array.from(values), faceUvs: out };
}
