import { Readable } from 'node:stream';
import { setTimeout as pause } from 'node:timers/promises';
import { bringInSchema, MAX_UPLOAD_BYTES } from '@estampe/contracts';
import type { PolyMesh } from '@estampe/core';
import { writeObj } from '@estampe/core';
import { bellClapper, harbourBell, kelpGrown, kelpHoldfast, kelpHoldfastBase, mooringBuoy, quayStone } from '@estampe/demo';
import type { Assets } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Jobs } from '../repositories/jobs';
import type { Steps } from './steps/steps';

const PRODUCTION = 'Tidewrack';
interface Sculpt {
  readonly name: string;
  readonly file: string;
  readonly make: (top: number) => PolyMesh[];
}
/** Assets with the parts that join them once they are there. */
const SCULPTS: readonly (Sculpt & { readonly then?: Sculpt })[] = [
  {
    name: 'Harbour bell',
    file: 'harbour-bell',
    make: harbourBell,
    then: { name: 'Clapper', file: 'bell-clapper', make: bellClapper },
  },
  { name: 'Mooring buoy', file: 'mooring-buoy', make: mooringBuoy },
  { name: 'Tiled quay stone', file: 'quay-stone', make: quayStone },
  {
    name: 'Kelp holdfast',
    file: 'kelp-holdfast',
    make: kelpHoldfast,
    then: { name: 'Grown', file: 'kelp-grown', make: (top) => [kelpHoldfastBase(), kelpGrown(Math.min(top, GROWN_LEVEL))] },
  },
];
/** Of the grown holdfast: finer than this it takes long to make. */
const GROWN_LEVEL = 3;
const LOOK_AGAIN_MS = 300;

interface Ports {
  readonly assets: Assets;
  readonly jobs: Jobs;
  readonly blobs: Blobs;
  readonly steps: Steps;
}

/** Makes the demo's assets in an empty database, through the same door as everybody's files.
 *  @param signal ends it between two sculpts @throws AbortError */
export async function makeDemo({ assets, jobs, blobs, steps }: Ports, topLevel: number, signal: AbortSignal): Promise<void> {
  if ((await assets.count()) > 0 || (await jobs.list(1)).length > 0) return;
  const send = async ({ name, file, make }: Sculpt, assetId: string | null): Promise<string> => {
    signal.throwIfAborted();
    const files: { hash: string; name: string }[] = [];
    for (const [k, mesh] of make(topLevel).entries()) {
      const name = `${file}-level-${k}.obj`;
      const { hash } = await blobs.putStream(Readable.from([Buffer.from(writeObj(mesh))]), MAX_UPLOAD_BYTES);
      files.push({ hash, name });
    }
    return (await steps.sculpt.bringIn(bringInSchema.parse({ name, unit: 'mm', files, assetId }), PRODUCTION)).id;
  };
  const waiting: { job: string; part: Sculpt }[] = [];
  for (const sculpt of SCULPTS) {
    const job = await send(sculpt, null);
    if (sculpt.then !== undefined) waiting.push({ job, part: sculpt.then });
  }
  // a second part needs its asset first
  for (const { job, part } of waiting)
    for (;;) {
      const { state, assetId } = await jobs.get(job);
      if (state === 'failed' || state === 'cancelled') break;
      if (state === 'done') {
        await send(part, assetId);
        break;
      }
      await pause(LOOK_AGAIN_MS, undefined, { signal });
    }
}
