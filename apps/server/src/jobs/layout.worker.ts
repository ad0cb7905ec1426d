import { parentPort, workerData } from 'node:worker_threads';
import { toErrorRecord } from '@estampe/core';
import { layoutImages } from '@estampe/delivery';
import type { LayoutAnswer, LayoutWish } from './layout-thread';
import { lightOf } from './light-mesh';

const { light, size, tile } = workerData as LayoutWish;
const answer = (message: LayoutAnswer): void => parentPort?.postMessage(message);
layoutImages(lightOf(light), size, tile).then(
  (images) => answer({ png: images.at(0)?.png ?? null }),
  (error: unknown) => answer({ error: toErrorRecord(error) }),
);
