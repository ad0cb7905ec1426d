import type { Field } from './field';
import { INSIDE } from './field';
import type { Ends } from './field-counts';
import { fieldCounts } from './field-counts';

/** A field of two texels with the lowest and the highest value of each channel: every fit but `clip` comes out the same from it, so tiles that
 *  share a range need not be in memory together. Rest where nothing is covered. */
export const extremesOf = (field: Field): Field => fieldOfEnds(fieldCounts(field).ends, field.channels);

/** The same from ends that are known. @param ends of the channels; none where nothing is covered */
export function fieldOfEnds(ends: readonly Ends[], channels: 1 | 3): Field {
  const values = new Float32Array(2 * channels);
  for (const [k, { min, max }] of ends.entries()) {
    values[k] = min;
    values[channels + k] = max;
  }
  return { width: 2, height: 1, channels, values, coverage: new Uint8Array(2).fill(ends.length === 0 ? 0 : INSIDE) };
}
