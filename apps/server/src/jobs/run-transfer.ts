import type { FindingInfo, TransferFiguresInfo } from '@estampe/contracts';
import type { PolyMesh, RunControl, Threads } from '@estampe/core';
import {
  EstampeError,
  faceCount,
  faceGroups,
  levelFindings,
  meshWithin,
  subProgress,
  transferSculpt,
  withGroups,
  withOriginOf,
} from '@estampe/core';
import { readMesh } from '@estampe/geometry';
import type { JobInput, NamedBytes, TransferResult } from './job-messages';
import { lightOf } from './light-mesh';
import { asFinding, partOf } from './run-import';

/** Gives a light mesh the detail of its free sculpt: a part of its own, since the free sculpt stays what maps can be measured to. */
export async function runTransfer(
  { name, sculpt, file, up, request, ...packed }: Extract<JobInput, { kind: 'transfer' }>,
  threads: Threads,
  control: RunControl,
): Promise<TransferResult> {
  const earlier = lightOf(packed);
  const { mesh: light, said } = file === null ? { mesh: earlier, said: [] } : await laterLight(file, earlier, control);
  const figures: TransferFiguresInfo[] = [];
  let last = performance.now();
  const made = await transferSculpt(light, meshWithin(sculpt), request, {
    threads,
    control: subProgress(control, 0, 0.8),
    each: ({ projectedShare, refused, rms, max, folds, reach }) => {
      const now = performance.now();
      figures.push({ projectedShare, refused, rms, max, folds, reach, seconds: (now - last) / 1000 });
      last = now;
    },
  });
  const part = await partOf([light, ...made.map(({ mesh }) => mesh)], 'stack', said, up, subProgress(control, 0.8, 1));
  return {
    kind: 'transfer',
    name,
    ...part,
    levels: part.levels.map((level, k) =>
      // of the levels below, whatever matters is seen on the finest
      k === 0 ? level : { ...level, transfer: figures[k - 1], findings: k < made.length ? level.findings : levelFindings(k, made[k - 1]) },
    ),
  };
}

/** A light mesh that came later, with the groups of the one before where it is the same polygons and says nothing of groups. */
async function laterLight(
  { name, bytes }: NamedBytes,
  earlier: PolyMesh,
  control: RunControl,
): Promise<{ mesh: PolyMesh; said: FindingInfo[] }> {
  try {
    const { mesh, warnings } = await readMesh(bytes, { control: subProgress(control, 0, 0.05) });
    const grouped =
      faceGroups(mesh).names.length > 1 || faceCount(mesh) !== faceCount(earlier) ? mesh : withGroups(mesh, faceGroups(earlier));
    return { mesh: withOriginOf(grouped, earlier), said: warnings.map((warning) => asFinding(`${name}: ${warning}`)) };
  } catch (error) {
    throw error instanceof EstampeError && error.code !== 'CANCELLED' ? error.inFile(name) : error;
  }
}
