import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { InvalidInputError } from '../runtime/errors';
import type { RefinedLevel } from './refine';
import { levelZero, refineOnce } from './refine';

/** The finest of a stack's levels, ready to be refined: points and colours are each level's own, and all else follows from level 0.
 *  @param levels from level 0 up, in the order of refining  @throws InvalidInputError NOT_A_STACK */
export function finestOf(levels: readonly PolyMesh[], surface: Partial<SurfaceOptions> = {}): RefinedLevel {
  let finest = levelZero(levels[0], surface);
  for (const [k, given] of levels.slice(1).entries()) {
    const next = refineOnce(finest);
    if (given.positions.length !== next.mesh.positions.length)
      throw new InvalidInputError('NOT_A_STACK', `Level ${k + 1} does not have the points of level ${k} refined.`);
    const { positions, colors } = withOriginOf(given, levels[0]);
    finest = { ...next, mesh: { ...next.mesh, positions, colors } };
  }
  return finest;
}
