import type { TransferFiguresInfo } from '@estampe/contracts';
import type { RunControl, Threads } from '@estampe/core';
import { subProgress, transferSculpt, unpackMesh } from '@estampe/core';
import type { JobInput, TransferResult } from './job-messages';
import { lightOf } from './light-mesh';
import { partOf } from './run-import';
import { transferFindings } from './transfer-findings';

/** Gives a light mesh the detail of its free sculpt: a part of its own, since the free sculpt stays what maps can be measured to. */
export async function runTransfer(
  { name, sculpt, up, request, ...packed }: Extract<JobInput, { kind: 'transfer' }>,
  threads: Threads,
  control: RunControl,
): Promise<TransferResult> {
  const light = lightOf(packed);
  const figures: TransferFiguresInfo[] = [];
  let last = performance.now();
  const made = await transferSculpt(light, unpackMesh(sculpt), request, {
    threads,
    control: subProgress(control, 0, 0.8),
    each: ({ projectedShare, refused, rms, max, folds, reach }) => {
      const now = performance.now();
      figures.push({ projectedShare, refused, rms, max, folds, reach, seconds: (now - last) / 1000 });
      last = now;
    },
  });
  const part = await partOf([light, ...made.map(({ mesh }) => mesh)], 'stack', [], up, subProgress(control, 0.8, 1));
  return {
    kind: 'transfer',
    name,
    ...part,
    levels: part.levels.map((level, k) =>
      // of the levels below, whatever matters is seen on the finest
      k === 0
        ? level
        : { ...level, transfer: figures[k - 1], findings: k < made.length ? level.findings : transferFindings(k, made[k - 1]) },
    ),
  };
}
