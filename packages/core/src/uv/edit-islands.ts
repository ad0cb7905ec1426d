import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import { islandsOf } from './islands';
import { placedIslands } from './placed-islands';

/** What is done to islands, each named by one of its faces. Quarters turn from u towards v; islands are turned and mirrored (left and right) all
 *  together, about the middle of what they cover. */
export type IslandEdit = { readonly faces: readonly number[] } & (
  | { readonly op: 'move'; readonly by: readonly [number, number] }
  | { readonly op: 'turn'; readonly quarters: 1 | 2 | 3 }
  | { readonly op: 'mirror' }
);

/** @throws InvalidInputError NO_UVS; BAD_OPTION for a face that is not there */
export function editIslands(mesh: PolyMesh, edit: IslandEdit): PolyMesh {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { ofFace } = islandsOf(mesh);
  const missing = edit.faces.find((f) => f >= faceCount(mesh));
  if (missing !== undefined)
    throw new InvalidInputError('BAD_OPTION', `There is no face ${missing}; the mesh has ${faceCount(mesh)}.`, { face: missing });
  const chosen = new Set(edit.faces.map((f) => ofFace[f]));
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let f = 0; f < faceCount(mesh); f++) {
    if (!chosen.has(ofFace[f])) continue;
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++)
      for (const k of [0, 1]) {
        box[k] = Math.min(box[k], uvs[2 * faceUvs[c] + k]);
        box[k + 2] = Math.max(box[k + 2], uvs[2 * faceUvs[c] + k]);
      }
  }
  const place = placeOf(edit, (box[0] + box[2]) / 2, (box[1] + box[3]) / 2);
  return placedIslands(mesh, ofFace, (island) => (chosen.has(island) ? place : null));
}

/** @param mu, mv the middle */
function placeOf(edit: IslandEdit, mu: number, mv: number): (u: number, v: number) => readonly [number, number] {
  if (edit.op === 'move') return (u, v) => [u + edit.by[0], v + edit.by[1]];
  if (edit.op === 'mirror') return (u, v) => [2 * mu - u, v];
  const [cos, sin] = [[0, 1], [-1, 0], [0, -1]][edit.quarters - 1]; // prettier-ignore
  return (u, v) => [mu + cos * (u - mu) - sin * (v - mv), mv + sin * (u - mu) + cos * (v - mv)];
}
