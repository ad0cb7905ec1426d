import { parentPort, workerData } from 'node:worker_threads';
import { toErrorRecord, unpackMesh, withGroupsOf } from '@estampe/core';
import { layoutImages } from '@estampe/delivery';
import { writeMesh } from '@estampe/geometry';
import { lightOf } from './light-mesh';
import type { SideAnswer, SideWish } from './side-thread';

const wish = workerData as SideWish;
const answer = (message: SideAnswer): void => parentPort?.postMessage(message);

async function made(): Promise<Uint8Array | null> {
  if (wish.what === 'layout') return (await layoutImages(lightOf(wish.light), wish.size, wish.tile)).at(0)?.png ?? null;
  const level = unpackMesh(wish.level);
  const mesh = wish.light === null ? level : withGroupsOf(lightOf(wish.light), level);
  return (await writeMesh(mesh, wish.name, { scene: wish.scene })).bytes;
}
made().then(
  (bytes) => answer({ bytes }),
  (error: unknown) => answer({ error: toErrorRecord(error) }),
);
