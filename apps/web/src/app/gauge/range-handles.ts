import type { EncodingSettings } from '@estampe/contracts';
import { isInteger, maxCode } from '@estampe/core';

export type HandleName = 'low' | 'midpoint' | 'high';

/** Heights that the lowest and the highest code stand for. */
export const rangeOf = ({ midpoint, scale }: Pick<EncodingSettings, 'midpoint' | 'scale'>): { low: number; high: number } => ({
  low: -midpoint * scale,
  high: (1 - midpoint) * scale,
});

/** The encoding after a handle was put at a height. An end moves alone; the midpoint moves both ends along, so that height 0 gets another
 *  code. For integer depths the midpoint stays on a code: flat areas stay flat. */
export function moveHandle(encoding: EncodingSettings, name: HandleName, units: number): EncodingSettings {
  const { low, high } = rangeOf(encoding);
  const least = Math.abs(high - low) * 1e-3;
  let [lo, hi] = [low, high];
  if (name === 'low') lo = Math.min(units, 0, high - least);
  else if (name === 'high') hi = Math.max(units, 0, low + least);
  else {
    const shift = Math.min(high, Math.max(low, units));
    [lo, hi] = [low - shift, high - shift];
  }
  const scale = hi - lo;
  let midpoint = -lo / scale;
  if (isInteger(encoding.depth)) midpoint = Math.round(midpoint * maxCode(encoding.depth)) / maxCode(encoding.depth);
  return { ...encoding, midpoint, scale, fit: 'by hand' };
}
