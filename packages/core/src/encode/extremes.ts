import type { Field } from '../raster/field';
import { INSIDE } from '../raster/field';

/** A field of two texels with the lowest and the highest value of each channel: every fit but `clip` comes out the same from it, so tiles that
 *  share a range need not be in memory together. Rest where nothing is covered. */
export function extremesOf({ channels, values, coverage }: Field): Field {
  const out = new Float32Array(2 * channels);
  const found = coverage.includes(INSIDE);
  if (found) out.fill(Infinity, 0, channels).fill(-Infinity, channels);
  for (let i = 0; i < values.length; i++) {
    const k = i % channels;
    if (coverage[(i - k) / channels] !== INSIDE) continue;
    out[k] = Math.min(out[k], values[i]);
    out[channels + k] = Math.max(out[channels + k], values[i]);
  }
  return { width: 2, height: 1, channels, values: out, coverage: new Uint8Array(2).fill(found ? INSIDE : 0) };
}
