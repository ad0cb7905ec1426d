import type { MeasureRequest } from '@estampe/contracts';
import { isFittable } from '@estampe/core';

/** What is sent for the settings of the card: fitting texels means nothing for kinds that cannot be fitted, and ticks of tiles nothing for an asset that
 *  has other ones. @param tiles of the asset */
export function measureRequest(settings: MeasureRequest, tiles: readonly number[]): MeasureRequest {
  const ticked = settings.tiles?.filter((tile) => tiles.includes(tile)) ?? [];
  const own = { ...settings, tiles: ticked.length === 0 || ticked.length === tiles.length ? null : ticked };
  return settings.kinds.some(isFittable) ? own : { ...own, fitTexels: false };
}
