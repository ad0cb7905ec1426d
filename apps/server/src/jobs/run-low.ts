import type { RunControl } from '@estampe/core';
import { checkMesh, EstampeError, faceCount, hasCompleteUvs, InvalidInputError, movedFinding, movedPoints, packMesh, pointCount, requireUvs, subProgress, unpackMesh, withOriginOf } from '@estampe/core'; // prettier-ignore
import { readMesh } from '@estampe/geometry';
import type { JobInput, LowResult } from './job-messages';
import { relaid } from './run-unwrap';
import { asFinding, uvOf } from './run-import';

/** Reads a light mesh that is brought in again: its points may have moved, but they must be the same points. */
export async function runLow({ file, before, rungs, unit }: Extract<JobInput, { kind: 'low' }>, control: RunControl): Promise<LowResult> {
  const earlier = unpackMesh(before);
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
    const check = checkMesh(mesh, subProgress(control, 0.5, 1));
    const moved = movedFinding(earlier, mesh, unit);
    const findings = [
      ...(moved === null ? [] : [moved]),
      ...check.findings,
      ...read.warnings.map((warning) => asFinding(`${file.name}: ${warning}`)),
    ];
    return {
      kind: 'low',
      title: 'brought in again',
      rungs: change.uvCorners === 0 ? [] : relaid(mesh, rungs, control),
      level: {
        mesh: packMesh(mesh),
        points: check.points,
        faces: check.faces,
        diagonal: check.diagonal,
        tiles: check.tiles,
        findings: findings.map((f) => ({ ...f, faces: [...f.faces] })),
        detail: null,
        colours: mesh.colors !== null,
        uv: uvOf(mesh),
      },
    };
  } catch (error) {
    throw error instanceof EstampeError && error.code !== 'CANCELLED' && error.where.file === undefined ? error.inFile(file.name) : error;
  }
}
