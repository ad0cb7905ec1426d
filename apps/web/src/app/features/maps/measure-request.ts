import type { AssetDetail, MeasureRequest } from '@estampe/contracts';
import { whySameLevel } from '@estampe/contracts';
import type { MapKind } from '@estampe/core';
import { heeds, isFittable, MAP_KINDS } from '@estampe/core';

/** What is sent for the settings of the card: fitting texels means nothing for kinds that cannot be fitted, and ticks of tiles nothing for an asset that
 *  has other ones. @param tiles of the asset */
export function measureRequest(settings: MeasureRequest, tiles: readonly number[]): MeasureRequest {
  const ticked = settings.tiles?.filter((tile) => tiles.includes(tile)) ?? [];
  const own = { ...settings, tiles: ticked.length === 0 || ticked.length === tiles.length ? null : ticked };
  return settings.kinds.some(isFittable) ? own : { ...own, fitTexels: false };
}

/** Why a kind cannot be measured from the chosen level; empty when it can. */
export function whyNoKind(kind: MapKind, { levelList }: AssetDetail, { toLevel }: MeasureRequest): string {
  const level = levelList.find((l) => l.level === toLevel);
  return MAP_KINDS[kind].needs.colours && level?.colours === false
    ? `Level ${level.level} has no point colours; write it with colours and bring it in again.`
    : '';
}

/** Why settings cannot be measured, and what to change; null when they can. */
export function whyNotMeasured(asset: AssetDetail, settings: MeasureRequest): string | null {
  const { fromLevel, toLevel, kinds, tiles, shade } = settings;
  if (asset.tiles.length === 0) return 'The light mesh has no UVs, and a map needs them; unwrap it in the step Sheet.';
  const empty = whySameLevel(settings, kinds);
  if (empty !== null)
    return asset.stackKind === 'alone'
      ? `${asset.part.name} is one mesh so far: maps of it alone are occlusion, curvature, hollows, thickness, colour and normals of the object. Bring its light mesh or its sculpt in for the others.`
      : empty;
  if (kinds.length === 0) return 'Choose at least one map.';
  if (tiles?.length === 0) return 'Tick at least one tile.';
  if (shade !== 'none' && kinds.some((kind) => heeds(kind, 'shade')) && !kinds.includes(shade))
    return `Colours are darkened by ${shade} of the same pass: tick it too, or leave the colours as they are.`;
  const reason = kinds.map((kind) => whyNoKind(kind, asset, settings)).find((text) => text !== '');
  if (reason !== undefined) return reason;
  return fromLevel > toLevel ? 'The span runs downwards; measure from the lighter level to the finer one.' : null;
}
