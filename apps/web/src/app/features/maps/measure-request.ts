import type { MeasureRequest } from '@estampe/contracts';

/** What is sent for the settings of the card: options of heights mean nothing without heights, and ticks of tiles nothing for an asset that
 *  has other ones. @param tiles of the asset */
export function measureRequest(settings: MeasureRequest, tiles: readonly number[]): MeasureRequest {
  const ticked = settings.tiles?.filter((tile) => tiles.includes(tile)) ?? [];
  const own = { ...settings, tiles: ticked.length === 0 || ticked.length === tiles.length ? null : ticked };
  return settings.kinds.includes('scalar') ? own : { ...own, matchSeams: false, fitTexels: false };
}
