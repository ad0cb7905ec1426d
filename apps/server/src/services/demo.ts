import { Readable } from 'node:stream';
import { setTimeout as pause } from 'node:timers/promises';
import { bringInSchema, MAX_UPLOAD_BYTES } from '@estampe/contracts';
import type { PolyMesh } from '@estampe/core';
import { writeObj } from '@estampe/core';
import { bellClapper, harbourBell, kelpHoldfast, mooringBuoy, quayStone } from '@estampe/demo';
import type { Assets } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Jobs } from '../repositories/jobs';
import type { Studio } from './studio';

const PRODUCTION = 'Tidewrack';
interface Sculpt {
  readonly name: string;
  readonly file: string;
  readonly make: (top: number) => PolyMesh[];
}
const BELL: Sculpt = { name: 'Harbour bell', file: 'harbour-bell', make: harbourBell };
const CLAPPER: Sculpt = { name: 'Clapper', file: 'bell-clapper', make: bellClapper };
const OTHERS: readonly Sculpt[] = [
  { name: 'Mooring buoy', file: 'mooring-buoy', make: mooringBuoy },
  { name: 'Tiled quay stone', file: 'quay-stone', make: quayStone },
  { name: 'Kelp holdfast', file: 'kelp-holdfast', make: kelpHoldfast },
];
const LOOK_AGAIN_MS = 300;

interface Ports {
  readonly assets: Assets;
  readonly jobs: Jobs;
  readonly blobs: Blobs;
  readonly studio: Studio;
}

/** Makes the demo's assets in an empty database, through the same door as everybody's files. */
export async function makeDemo({ assets, jobs, blobs, studio }: Ports, topLevel: number): Promise<void> {
  if ((await assets.count()) > 0 || (await jobs.list(1)).length > 0) return;
  const send = async ({ name, file, make }: Sculpt, assetId: string | null): Promise<string> => {
    const files: { hash: string; name: string }[] = [];
    for (const [k, mesh] of make(topLevel).entries()) {
      const name = `${file}-level-${k}.obj`;
      const { hash } = await blobs.putStream(Readable.from([Buffer.from(writeObj(mesh))]), MAX_UPLOAD_BYTES);
      files.push({ hash, name });
    }
    return (await studio.bringIn(bringInSchema.parse({ name, unit: 'mm', files, assetId }), PRODUCTION)).id;
  };
  const bell = await send(BELL, null);
  for (const sculpt of OTHERS) await send(sculpt, null);
  // a second part needs its asset first
  for (;;) {
    const { state, assetId } = await jobs.get(bell);
    if (state === 'failed' || state === 'cancelled') return;
    if (state === 'done') {
      await send(CLAPPER, assetId);
      return;
    }
    await pause(LOOK_AGAIN_MS);
  }
}
