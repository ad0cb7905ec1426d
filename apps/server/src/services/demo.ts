import { Readable } from 'node:stream';
import type { PolyMesh } from '@estampe/core';
import { writeObj } from '@estampe/core';
import { harbourBell, mooringBuoy, quayStone } from '@estampe/demo';
import type { Assets } from '../repositories/assets';
import { MAX_UPLOAD_BYTES } from '@estampe/contracts';
import type { Blobs } from '../repositories/blobs';
import type { Jobs } from '../repositories/jobs';
import type { Studio } from './studio';

const PRODUCTION = 'Tidewrack';
const ASSETS: readonly { readonly name: string; readonly file: string; readonly make: (top: number) => PolyMesh[] }[] = [
  { name: 'Harbour bell', file: 'harbour-bell', make: harbourBell },
  { name: 'Mooring buoy', file: 'mooring-buoy', make: mooringBuoy },
  { name: 'Tiled quay stone', file: 'quay-stone', make: quayStone },
];

/** Makes the demo's assets in an empty database, through the same door as everybody's files. */
export async function makeDemo(assets: Assets, jobs: Jobs, blobs: Blobs, studio: Studio, topLevel: number): Promise<void> {
  if ((await assets.count()) > 0 || (await jobs.list(1)).length > 0) return;
  for (const { name, file, make } of ASSETS) {
    const files: { hash: string; name: string }[] = [];
    for (const [k, mesh] of make(topLevel).entries()) {
      const { hash } = await blobs.putStream(Readable.from([Buffer.from(writeObj(mesh))]), MAX_UPLOAD_BYTES);
      files.push({ hash, name: `${file}-level-${k}.obj` });
    }
    await studio.bringIn({ name, unit: 'mm', files }, PRODUCTION);
  }
}
