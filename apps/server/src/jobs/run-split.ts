import type { PolyMesh, RunControl } from '@estampe/core';
import {
  faceGroups,
  groupsOfSculpt,
  InvalidInputError,
  keepFaces,
  splitStack,
  subProgress,
  throwIfAborted,
  unpackMesh,
} from '@estampe/core';
import type { JobInput, SplitResult } from './job-messages';
import { lightOf } from './light-mesh';
import { partOf } from './run-import';

/** Name of the part of faces that have no group. */
const REST = 'rest';

/** Splits a part along the groups of its light mesh: each group with what stands over it, points at the borders kept in both.
 *  @throws InvalidInputError BAD_OPTION where there is one group only, or the sculpt has nothing over one */
export async function runSplit(
  { finer, stackKind, up, ...packed }: Extract<JobInput, { kind: 'split' }>,
  control: RunControl,
): Promise<SplitResult> {
  const light = lightOf(packed);
  const { names, of } = faceGroups(light);
  if (names.length < 2)
    throw new InvalidInputError('BAD_OPTION', 'All faces are in one group, so there is nothing to split; make groups first.');
  const levels = finer.map(unpackMesh);
  const ofSculpt = stackKind === 'free' ? groupsOfSculpt(light, of, levels[0], subProgress(control, 0, 0.2)) : null;
  const parts: SplitResult['parts'][number][] = [];
  // what has no group comes last
  const order = [...names.keys()].sort((a, b) => Number(names[a] === '') - Number(names[b] === '') || a - b);
  for (const [k, g] of order.entries()) {
    const name = names[g];
    throwIfAborted(control);
    const share = subProgress(control, 0.2 + (0.8 * k) / names.length, 0.2 + (0.8 * (k + 1)) / names.length);
    const meshes: PolyMesh[] =
      ofSculpt === null
        ? splitStack([light, ...levels], (f) => of[f] === g, subProgress(share, 0, 0.5))
        : [keepFaces(light, (f) => of[f] === g), keepFaces(levels[0], (f) => ofSculpt[f] === g)];
    if (meshes.some((mesh) => mesh.faceVerts.length === 0))
      throw new InvalidInputError('BAD_OPTION', `No face of the sculpt is nearest to group ${name === '' ? 'none' : name}, so it would be a part without a sculpt; put its faces into another group.`); // prettier-ignore
    parts.push({ name: name === '' ? REST : name, ...(await partOf(meshes, stackKind, [], up, share)) });
  }
  return { kind: 'split', parts };
}
