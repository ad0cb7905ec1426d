import type { AssetDetail, MeasureRecipe } from '@estampe/contracts';
import { MAP_KINDS } from '@estampe/core';

/** Why a recipe cannot be used for an asset as it is, in one sentence; null when it can. */
export function whyNot(
  { unit, settings }: MeasureRecipe,
  asset: Pick<AssetDetail, 'unit' | 'levelList' | 'tiles' | 'stackKind' | 'name'>,
): string | null {
  const top = asset.levelList.length - 1;
  const { toLevel, fromLevel, kinds, tiles, match } = settings;
  if (Math.max(fromLevel, toLevel) > top)
    return `It measures from level ${fromLevel} to ${toLevel}, and ${asset.name} has the levels 0 to ${top}.`;
  const lengths = [settings.reach, settings.radius, settings.occlusionDistance];
  if (unit !== asset.unit && lengths.some((length) => length !== null))
    return `Its lengths are in ${unit}, and ${asset.name} is in ${asset.unit}.`;
  const strange = tiles?.find((tile) => !asset.tiles.includes(tile));
  if (strange !== undefined) return `It measures tile ${strange}, and ${asset.name} uses ${asset.tiles.join(', ')}.`;
  if (match === 'stack' && asset.stackKind === 'free') return `It matches levels of one stack, and ${asset.name} has a free sculpt.`;
  if (kinds.some((kind) => MAP_KINDS[kind].needs.colours) && asset.levelList[toLevel].colours === false)
    return `It takes point colours, and level ${toLevel} of ${asset.name} has none.`;
  return null;
}
