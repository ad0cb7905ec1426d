import type { Field } from './field';
import { isMeasured, MISSED, OUTSIDE, PADDING } from './field';

/** Fills outside texels up to `width` texels away (Infinity: the whole tile) and missed texels at any distance with the value of the
 *  nearest measured texel, by exact Euclidean distance; ties go to the lowest row, then column. Missed texels keep their class.
 *
 *  Columns first, then the lower envelope of parabolas along each row (Felzenszwalb and Huttenlocher 2012): linear in texels.
 *  Parabolas that touch the envelope in one point are kept, so that every tie is seen. */
export function padInPlace({ width: W, height: H, channels, values, coverage }: Field, width: number): void {
  const nearestRow = new Int32Array(W * H);
  // the last measured row of each column above, then the next one below, row by row: columns lie far apart in memory
  const last = new Int32Array(W).fill(-1);
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      if (isMeasured(coverage[y * W + x])) last[x] = y;
      nearestRow[y * W + x] = last[x];
    }
  if (last.every((row) => row < 0)) return;
  const next = new Int32Array(W).fill(-1);
  for (let y = H - 1; y >= 0; y--)
    for (let x = 0; x < W; x++) {
      const above = nearestRow[y * W + x];
      if (above === y) next[x] = y;
      // the row above wins a tie
      else if (next[x] >= 0 && (above < 0 || next[x] - y < y - above)) nearestRow[y * W + x] = next[x];
    }
  const columns = new Int32Array(W);
  const starts = new Float64Array(W + 1);
  const limit2 = width * width;
  for (let y = 0; y < H; y++) {
    let needed = false;
    for (let x = 0; x < W && !needed; x++) needed = !isMeasured(coverage[y * W + x]);
    if (!needed) continue;
    let n = 0;
    for (let q = 0; q < W; q++) {
      const row = nearestRow[y * W + q];
      if (row < 0) continue;
      const fq = (y - row) ** 2 + q * q;
      let start = -Infinity;
      while (n > 0) {
        const p = columns[n - 1];
        start = (fq - (y - nearestRow[y * W + p]) ** 2 - p * p) / (2 * (q - p));
        if (start >= starts[n - 1]) break;
        n--;
        start = -Infinity;
      }
      columns[n] = q;
      starts[n++] = start;
    }
    starts[n] = Infinity;
    let k = 0;
    for (let x = 0; x < W; x++) {
      while (k + 1 < n && starts[k + 1] < x) k++;
      const i = y * W + x;
      if (isMeasured(coverage[i])) continue;
      let column = columns[k];
      let row = nearestRow[y * W + column];
      for (let j = k + 1; j < n && starts[j] === x; j++) {
        const other = nearestRow[y * W + columns[j]];
        if (other < row) {
          row = other;
          column = columns[j];
        }
      }
      if (coverage[i] !== MISSED) {
        if ((x - column) ** 2 + (y - row) ** 2 > limit2) continue;
        if (coverage[i] === OUTSIDE) coverage[i] = PADDING;
      }
      for (let c = 0; c < channels; c++) values[channels * i + c] = values[channels * (row * W + column) + c];
    }
  }
}
