import type { AssetDetail } from '@estampe/contracts';
import { transferringBytes } from '@estampe/core';
import { bytes, clock } from './format';

/** Measured on two threads. */
const SECONDS_A_FACE = 80e-6;

/** What the transfer of a free sculpt's detail will take, roughly. */
export function transferCost({ levelList }: Pick<AssetDetail, 'levelList'>): string {
  const { faces } = levelList[levelList.length - 1];
  return `about ${clock(SECONDS_A_FACE * faces)} and ${bytes(transferringBytes(2 * faces, faces))}`;
}
