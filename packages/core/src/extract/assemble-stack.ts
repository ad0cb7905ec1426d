import type { PolyMesh } from '../mesh/poly-mesh';
import { hasCompleteUvs } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { levelZero, refineOnce } from '../subdivision/refine';
import { stackLevel } from './stack-match';

export interface AssembledStack {
  /** Level 0 first. */
  readonly levels: readonly PolyMesh[];
  /** Names of the files whose points had to be renumbered. */
  readonly reordered: readonly string[];
}

/** All rungs of a stack: those given, recognised by their connectivity alone, and between them the refined base with the points of the
 *  next given level above (each old point keeps the place it has there). Rungs below the top that have no UVs get those of level 0,
 *  refined linearly, so that a span can start from them. Null when the one other mesh is a free sculpt. Given meshes are kept, not copied.
 *  @throws InvalidInputError NOT_A_STACK naming the mesh that fits nowhere; CancelledError */
export function assembleStack(
  low: PolyMesh,
  others: readonly { readonly name: string; readonly mesh: PolyMesh }[],
  control?: RunControl,
): AssembledStack | null {
  const given = new Map<number, PolyMesh>();
  const reordered: string[] = [];
  for (const { name, mesh } of others) {
    throwIfAborted(control);
    const found = stackLevel(low, mesh, control);
    if (found === null && others.length === 1) return null;
    if (found === null || found.levels === 0 || given.has(found.levels))
      throw new InvalidInputError(
        'NOT_A_STACK',
        `${name} is not a level of the light mesh (its connectivity differs, or that level is there already); bring in the light mesh with its levels, or with one free sculpt.`,
        { file: name },
      );
    if (found.points !== null) reordered.push(name);
    given.set(found.levels, found.mesh);
  }
  const top = Math.max(...given.keys());
  const refined: PolyMesh[] = [];
  for (let k = 1, level = levelZero(low); k < top; k++) {
    throwIfAborted(control);
    level = refineOnce(level);
    refined[k] = level.mesh;
  }
  const rungs: PolyMesh[] = [];
  let above = given.get(top) ?? low;
  rungs.push(above);
  for (let k = top - 1; k >= 1; k--) {
    const mesh = given.get(k);
    const { uvs, faceUvs, positions, creases } = refined[k];
    if (mesh) above = { ...mesh, creases: mesh.creases ?? creases, ...(hasCompleteUvs(mesh) ? {} : { uvs, faceUvs }) };
    else above = { ...refined[k], positions: above.positions.slice(0, positions.length) };
    rungs.push(above);
  }
  return { levels: [low, ...rungs.reverse()], reordered };
}
