import { Readable } from 'node:stream';
import { writeObj } from '@estampe/core';
import { harbourBell } from '@estampe/demo';
import type { Assets } from '../repositories/assets';
import { MAX_UPLOAD_BYTES } from '@estampe/contracts';
import type { Blobs } from '../repositories/blobs';
import type { Jobs } from '../repositories/jobs';
import type { Studio } from './studio';

const PRODUCTION = 'Tidewrack';
const TITLE = 'Harbour bell';

/** Makes the demo's assets in an empty database, through the same door as everybody's files. */
export async function makeDemo(assets: Assets, jobs: Jobs, blobs: Blobs, studio: Studio, topLevel: number): Promise<void> {
  if ((await assets.count()) > 0 || (await jobs.list(1)).length > 0) return;
  const files: { hash: string; name: string }[] = [];
  for (const [k, mesh] of harbourBell(topLevel).entries()) {
    const { hash } = await blobs.putStream(Readable.from([Buffer.from(writeObj(mesh))]), MAX_UPLOAD_BYTES);
    files.push({ hash, name: `harbour-bell-level-${k}.obj` });
  }
  await studio.bringIn({ name: TITLE, unit: 'mm', files }, PRODUCTION);
}
