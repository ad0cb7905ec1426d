import type { TransferFiguresInfo } from '@estampe/contracts';
import type { RunControl, Threads } from '@estampe/core';
import { subProgress, transferSculpt, unpackMesh } from '@estampe/core';
import type { JobInput, TransferResult } from './job-messages';
import { lightOf } from './light-mesh';
import { partOf } from './run-import';

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
  const top = made[made.length - 1];
  const missed =
    top.carried === 0
      ? []
      : [{ code: 'transfer-missed', severity: 'warning' as const, count: top.carried, message: `${top.carried} of the finest level's points found nothing on the sculpt and went along with their neighbours; mark groups on both meshes, or search farther.`, faces: [] }]; // prettier-ignore
  const part = await partOf([light, ...made.map(({ mesh }) => mesh)], 'stack', missed, up, subProgress(control, 0.8, 1));
  return {
    kind: 'transfer',
    name,
    ...part,
    levels: part.levels.map((level, k) => (k === 0 ? level : { ...level, transfer: figures[k - 1] })),
  };
}
