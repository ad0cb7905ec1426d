import type { ReadAt } from '../raster/map-record';
import type { Place } from './place';
import type { SculptSearch } from './sculpt-search';

/** Where a map is read on the sculpt for a place of the base: at the same parameters of one stack, where the ray along the base's normal
 *  meets it (so that it fits a height map), or at the nearest point. */
export type AnswerSource = ReadAt;

/** Values a point, as threads read them: on the sculpt for rays and nearest points, at the base's points for equal parameters. */
export interface PointValues {
  readonly width: 1 | 3;
  readonly sculpt: Float32Array | null; // width x sculpt's points; null when answers come from equal parameters
  readonly base: Float32Array | null; // width x base's points; null when they do not
}

/** The values at the answer last found, blended. Writes out[0..width - 1]. */
export function readAnswer(out: Float64Array, values: PointValues, source: AnswerSource, place: Place, search: SculptSearch): void {
  if (source === 'parameter') {
    if (values.base !== null) place.read(out, values.base, values.width);
  } else if (values.sculpt !== null) search.read(out, values.sculpt, values.width);
}
