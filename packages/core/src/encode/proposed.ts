import type { Ends } from '../raster/field-counts';
import { fieldOfEnds } from '../raster/extremes';
import type { MapKind } from '../raster/map-kinds';
import { hasAxes, MAP_KINDS } from '../raster/map-kinds';
import type { Depth } from './encoding';
import { exactMidpoint, isInteger, NORMAL_RANGE } from './encoding';
import type { EncodingChoice } from './encoding-settings';
import { fitRange, parseFit } from './fit';

/** From 0 to 1, whatever was measured. */
export const UNIT_FIT = 'zero to one';
/** The range of directions, which is not fitted. */
export const DIRECTIONS_FIT = 'minus one to one';

export type StoredAs = 'exr' | 'tif' | 'png';
/** An encoding with the file that holds it and how its range was come by. */
export interface ProposedEncoding extends EncodingChoice {
  readonly fileType: StoredAs;
  readonly fit: string;
  readonly each: null;
}

/** How a map is stored where nobody has chosen: integers hold one range evenly; vectors are small nearly everywhere and large in a few places,
 *  which half floats follow, and they keep scene units. */
export const defaultStorageOf = (kind: MapKind): { readonly depth: Depth; readonly fileType: StoredAs } =>
  hasAxes(kind) ? { depth: 'half', fileType: 'exr' } : { depth: '16', fileType: 'tif' };

/** The fit that a map of a depth gets where nobody has chosen, by its name. */
export function defaultFitOf(kind: MapKind, depth: Depth): string {
  const { range } = MAP_KINDS[kind];
  if (range === 'directions') return DIRECTIONS_FIT;
  if (range === 'unit') return UNIT_FIT;
  return isInteger(depth) ? range : 'measured';
}

/** Range of a normal map: -1 to 1, with a midpoint that is a code where one is wanted. */
export const normalRange = (depth: Depth, exact: boolean): { readonly midpoint: number; readonly scale: number } => ({
  midpoint: exact ? exactMidpoint(depth) : NORMAL_RANGE.midpoint,
  // the exact midpoint lies a little above one half, so the range must be a little wider to hold 1
  scale: exact && isInteger(depth) ? 1 / (1 - exactMidpoint(depth)) : NORMAL_RANGE.scale,
});

/** How a map is stored until somebody says otherwise, from its figures alone: no field is read.
 *  @param tiles ends of each tile's channels over class 1, empty where a tile has none; all tiles share one range */
export function proposedEncoding(kind: MapKind, tiles: readonly (readonly Ends[])[]): ProposedEncoding {
  const { depth, fileType } = defaultStorageOf(kind);
  const fit = defaultFitOf(kind, depth);
  const rest = { depth, fileType, fit, green: 'up', keepBlue: true, axes: '', each: null } as const;
  if (fit === DIRECTIONS_FIT) return { ...rest, ...normalRange(depth, false) };
  if (fit === UNIT_FIT) return { ...rest, midpoint: 0, scale: 1 };
  // a tile's ends are all that these fits look at, and of a vector the largest of its channels
  const fields = tiles.flat().map((ends) => fieldOfEnds([ends], 1));
  return { ...rest, ...fitRange(fields, depth, parseFit(fit), null) };
}
