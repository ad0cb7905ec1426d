import type { PolyMesh } from '../mesh/poly-mesh';
import { requireUvs } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { levelZero, refineOnce } from '../subdivision/refine';

/** Gives the levels of a stack, from level 1 up, the UVs of a light mesh that has got new ones, refined linearly; points and polygons are kept.
 *  The order of corners is that of refinement, which levels of one stack have. @throws InvalidInputError NO_UVS @throws CancelledError */
export function relayRungs(low: PolyMesh, rungs: readonly PolyMesh[], control?: RunControl): PolyMesh[] {
  requireUvs(low);
  let level = levelZero(low);
  return rungs.map((rung, k) => {
    throwIfAborted(control);
    control?.onProgress?.(k / rungs.length, 'laying the levels');
    level = refineOnce(level);
    return { ...rung, uvs: level.mesh.uvs, faceUvs: level.mesh.faceUvs };
  });
}
