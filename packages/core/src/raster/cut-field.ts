import type { Field } from './field';
import { emptyField } from './field';

/** A part of a field in memory of its own. @param x, y its upper left texel; what would lie beyond the field's edges is left out */
export function cutField({ width: W, height: H, channels, values, coverage }: Field, x: number, y: number, side: number): Field {
  const [width, height] = [Math.min(side, W - x), Math.min(side, H - y)];
  const out = emptyField(width, height, channels);
  for (let row = 0; row < height; row++) {
    const from = (y + row) * W + x;
    out.coverage.set(coverage.subarray(from, from + width), row * width);
    out.values.set(values.subarray(channels * from, channels * (from + width)), channels * row * width);
  }
  return out;
}
