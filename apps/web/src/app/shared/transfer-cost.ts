import type { AssetDetail } from '@estampe/contracts';
import { transferringBytes } from '@estampe/core';
import { bytes, clock } from './format';

/** Measured on two threads: 4.6 s for 197 thousand triangles, 40 s for 3.1 million. */
const SECONDS = 2;
const SECONDS_A_FACE = 13e-6;

/** What the transfer of a free sculpt's detail will take, roughly. */
export function transferCost({ levelList }: Pick<AssetDetail, 'levelList'>): string {
  const { faces, points } = levelList[levelList.length - 1];
  return `about ${clock(SECONDS + SECONDS_A_FACE * faces)} and ${bytes(transferringBytes(points, points))}`;
}
