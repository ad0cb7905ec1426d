import type { RunControl } from '@estampe/core';
import { EstampeError, faceCount, faceGroups, hasCompleteUvs, InvalidInputError, movedFinding, movedPoints, pointCount, requireUvs, subProgress, unpackMesh, withGroups, withOriginOf } from '@estampe/core'; // prettier-ignore
import { readMesh } from '@estampe/geometry';
import type { JobInput, LowResult } from './job-messages';
import { lightOf } from './light-mesh';
import { asFinding, asStored, saidOfPair } from './run-import';
import { lightLevel, relaid } from './run-unwrap';

/** Reads a light mesh that is brought in again: its points may have moved, but they must be the same points. */
export async function runLow({ file, rungs, unit, ...light }: Extract<JobInput, { kind: 'low' }>, control: RunControl): Promise<LowResult> {
  const earlier = lightOf(light);
  try {
    // all levels of a part are counted from one origin
    const read = await readMesh(file.bytes, { control: subProgress(control, 0, 0.5) });
    const mesh = withOriginOf(read.mesh, earlier);
    // one that had none may still have none
    if (hasCompleteUvs(earlier)) requireUvs(mesh, file.name);
    const change = movedPoints(earlier, mesh);
    if (change === null)
      throw new InvalidInputError(
        'NOT_A_STACK',
        `this mesh has ${pointCount(mesh)} points and ${faceCount(mesh)} faces in an order that is not the light mesh's (${pointCount(earlier)} points, ${faceCount(earlier)} faces), so no point can be followed; bring it in as a new asset together with its sculpt.`,
      );
    // a file that says nothing of groups takes none away
    const grouped = faceGroups(mesh).names.length > 1 ? mesh : withGroups(mesh, faceGroups(earlier));
    const level = lightLevel(grouped, read.warnings.map((warning) => asFinding(`${file.name}: ${warning}`)), subProgress(control, 0.5, 0.9)); // prettier-ignore
    const moved = movedFinding(earlier, mesh, unit);
    const finest = rungs.at(-1);
    const together = finest === undefined ? [] : saidOfPair(mesh, unpackMesh(finest), rungs.length);
    return {
      kind: 'low',
      title: 'brought in again',
      rungs: change.uvCorners === 0 ? [] : relaid(mesh, rungs, subProgress(control, 0.9, 1)),
      level: { ...level, findings: [...(moved === null ? [] : [asStored(moved)]), ...level.findings, ...together] },
    };
  } catch (error) {
    throw error instanceof EstampeError && error.code !== 'CANCELLED' && error.where.file === undefined ? error.inFile(file.name) : error;
  }
}
