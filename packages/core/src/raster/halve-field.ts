import type { Field } from './field';
import { DOUBTFUL, emptyField, INSIDE, isMeasured, MENDED, MISSED, OUTSIDE, PADDING } from './field';

/** Of several texels that become one, the class that wins: what is to be looked at never vanishes. */
const WINS = [OUTSIDE, PADDING, INSIDE, MENDED, DOUBTFUL, MISSED];
const RANK = Uint8Array.from({ length: WINS.length }, (_, c) => WINS.indexOf(c));

/** A field at half its size, odd sides rounded up: the mean of the measured texels of each two by two, else of the padding.
 *  For looking only: directions are not of unit length any more. */
export function halveField({ width: W, height: H, channels, values, coverage }: Field): Field {
  const [width, height] = [(W + 1) >> 1, (H + 1) >> 1];
  const out = emptyField(width, height, channels);
  const sums = new Float64Array(channels);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let best = OUTSIDE;
      let count = 0;
      let measured = false;
      sums.fill(0);
      for (let dy = 2 * y; dy < Math.min(H, 2 * y + 2); dy++)
        for (let dx = 2 * x; dx < Math.min(W, 2 * x + 2); dx++) {
          const i = dy * W + dx;
          const c = coverage[i];
          if (RANK[c] > RANK[best]) best = c;
          if (c === OUTSIDE || c === MISSED) continue;
          if (isMeasured(c) && !measured) {
            // padding counts only where nothing is measured
            measured = true;
            count = 0;
            sums.fill(0);
          }
          if (measured && !isMeasured(c)) continue;
          count++;
          for (let k = 0; k < channels; k++) sums[k] += values[channels * i + k];
        }
      const o = y * width + x;
      out.coverage[o] = best;
      if (count > 0) for (let k = 0; k < channels; k++) out.values[channels * o + k] = sums[k] / count;
    }
  return out;
}
