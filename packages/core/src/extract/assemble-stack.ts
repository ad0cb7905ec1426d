import type { PolyMesh } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { refineLevels } from '../subdivision/refine';
import { levelsBetween } from './stack-match';

/** All rungs of a stack, level 0 first: those given, and between them the refined base with the points of the next given level above
 *  (each old point keeps the place it has there). Null when the one other mesh is a free sculpt. Given meshes are kept, not copied.
 *  @throws InvalidInputError NOT_A_STACK naming the mesh that fits nowhere; CancelledError */
export function assembleStack(
  low: PolyMesh,
  others: readonly { readonly name: string; readonly mesh: PolyMesh }[],
  control?: RunControl,
): PolyMesh[] | null {
  const given = new Map<number, PolyMesh>();
  for (const { name, mesh } of others) {
    throwIfAborted(control);
    const k = levelsBetween(low, mesh);
    if (k === null && others.length === 1) return null;
    if (k === null || k === 0 || given.has(k))
      throw new InvalidInputError(
        'NOT_A_STACK',
        `${name} is not a level of the light mesh (its connectivity differs, or that level is there already); bring in the light mesh with its levels, or with one free sculpt.`,
        { file: name },
      );
    given.set(k, mesh);
  }
  const rungs: PolyMesh[] = [];
  let above = low;
  for (let k = Math.max(...given.keys()); k >= 1; k--) {
    const mesh = given.get(k);
    if (mesh) above = mesh;
    else {
      const refined = refineLevels({ ...low, uvs: null, faceUvs: null }, k).mesh;
      above = { ...refined, positions: above.positions.slice(0, refined.positions.length) };
    }
    rungs.push(above);
  }
  return [low, ...rungs.reverse()];
}
