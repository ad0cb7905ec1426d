import { InvalidInputError } from '../runtime/errors';
import { boundsOf, boxDiagonal, boxesOverlap } from './bounds';
import type { PolyMesh } from './poly-mesh';

/** @param sculpt counted from the light mesh's origin  @throws InvalidInputError NO_OVERLAP where the two cannot belong together */
export function requireOverlap(low: PolyMesh, sculpt: PolyMesh): void {
  // flat things touch without overlapping: allow half of the larger diagonal between them
  const [a, b] = [boundsOf(low.positions), boundsOf(sculpt.positions)];
  if (!boxesOverlap(a, b, 0.5 * Math.max(boxDiagonal(a), boxDiagonal(b))))
    throw new InvalidInputError(
      'NO_OVERLAP',
      'Low mesh and sculpt do not overlap anywhere; check that both stand in the same place, unit and scale.',
    );
}
