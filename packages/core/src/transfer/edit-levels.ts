import { faceGroups, withGroups } from '../mesh/groups';
import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import { finestOf } from '../subdivision/finest';
import { MAX_REFINED_FACES, refineOnce } from '../subdivision/refine';

/** One level more on top, smooth: for detail to come. @param levels from level 0 up  @throws InvalidInputError TOO_LARGE */
export function addedLevel(levels: readonly PolyMesh[]): PolyMesh {
  const faces = cornerCount(levels[levels.length - 1]);
  if (faces > MAX_REFINED_FACES)
    throw new InvalidInputError('TOO_LARGE', `One more level would have ${faces} faces; at most ${MAX_REFINED_FACES} fit.`);
  return refineOnce(finestOf(levels)).mesh;
}

/** The finest level: its points, with the UVs, groups and creases that follow from level 0. @param levels from level 0 up */
export const withUvsOf = (levels: readonly PolyMesh[]): PolyMesh => finestOf(levels).mesh;
/** Level 1 as a base of its own. */
export const raisedBase = (base: PolyMesh, first: PolyMesh): PolyMesh => withUvsOf([base, first]);

/** A level with the groups of its base, whose faces' children stand in the order of their corners. @throws InvalidInputError NOT_A_STACK */
export function withGroupsOf(base: PolyMesh, level: PolyMesh): PolyMesh {
  const { names, of } = faceGroups(base);
  const each = faceCount(level) / cornerCount(base);
  if (!Number.isInteger(each)) {
    if (faceCount(level) === faceCount(base)) return withGroups(level, { names, of });
    throw new InvalidInputError('NOT_A_STACK', 'This mesh is no level of the base, so that it has no groups of it.');
  }
  const spread = new Uint16Array(faceCount(level));
  for (let f = 0; f < faceCount(base); f++) spread.fill(of[f], each * base.faceOffsets[f], each * base.faceOffsets[f + 1]);
  return withGroups(level, { names, of: spread });
}
