import type { MapKind } from '../raster/map-kinds';
import { channelsOf, isFittable } from '../raster/map-kinds';
import type { ExtractOptions } from './extract-options';
import { samplesOf } from './extract-options';

/** Memory that a texel of one map takes while its tile is measured and written, bytes: a value and a class while measuring, and again while it is
 *  written; matching seams keeps a number for it, and fitting all over its equations, their right-hand sides and every sample (`BilinearFit`). */
export function texelBytes(kind: MapKind, o: Pick<ExtractOptions, 'matchSeams' | 'fitTexels' | 'samples'>): number {
  const channels = channelsOf(kind);
  const values = 2 * (4 * channels + 1);
  if (o.fitTexels && isFittable(kind)) return values + 84 + 8 * channels + 4 * channels * samplesOf(o) ** 2;
  return o.matchSeams ? values + 8 : values;
}
