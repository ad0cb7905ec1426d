import type { Field } from './field';
import { isMeasured, MISSED, OUTSIDE, PADDING } from './field';

/** Fills outside texels up to `width` texels away (Infinity: the whole tile) and missed texels at any distance with the value of the
 *  nearest measured texel, by exact Euclidean distance; ties go to the lowest row, then column. Missed texels keep their class.
 *
 *  Columns first, then the lower envelope of parabolas along each row (Felzenszwalb and Huttenlocher 2012): linear in texels. What is nearest to
 *  a texel between two measured ones of its row lies in a column between theirs or in one of theirs, so a row is gone through gap by gap.
 *  Parabolas that touch the envelope in one point are kept, so that every tie is seen. */
export function padInPlace(field: Field, width: number): void {
  const { width: W, height: H } = field;
  const nearestRow = nearestRows(field);
  if (nearestRow === null) return;
  const gaps = new Gaps(field, nearestRow, width);
  for (let y = 0; y < H; y++) {
    let from = -1;
    for (let x = 0, i = y * W; x < W; x++, i++) {
      if (nearestRow[i] !== y) continue;
      if (x > from + 1) gaps.fill(y, from, x);
      from = x;
    }
    if (from + 1 < W) gaps.fill(y, from, W);
  }
}

/** Row of the nearest measured texel in each texel's column, the upper one of two; -1 where there is none. Null where nothing is measured. */
function nearestRows({ width: W, height: H, coverage }: Field): Int32Array | null {
  const nearest = new Int32Array(W * H);
  // the last measured row of each column above, then the next one below, row by row: columns lie far apart in memory
  const last = new Int32Array(W).fill(-1);
  for (let y = 0, i = 0; y < H; y++)
    for (let x = 0; x < W; x++, i++) {
      if (isMeasured(coverage[i])) last[x] = y;
      nearest[i] = last[x];
    }
  if (last.every((row) => row < 0)) return null;
  const next = new Int32Array(W).fill(-1);
  for (let y = H - 1; y >= 0; y--)
    for (let x = 0, i = y * W; x < W; x++, i++) {
      const above = nearest[i];
      if (above === y) next[x] = y;
      else if (next[x] >= 0 && (above < 0 || next[x] - y < y - above)) nearest[i] = next[x];
    }
  return nearest;
}

/** Fills the texels between two measured ones of a row. */
class Gaps {
  /** Columns whose parabolas make the envelope, and where each begins. */
  private readonly columns: Int32Array;
  private readonly starts: Float64Array;

  constructor(
    private readonly field: Field,
    private readonly nearestRow: Int32Array,
    private readonly width: number,
  ) {
    this.columns = new Int32Array(field.width);
    this.starts = new Float64Array(field.width + 1);
  }

  /** @param from the measured texel before the gap, -1 for none @param to the one after it, the field's width for none */
  fill(y: number, from: number, to: number): void {
    const { columns, starts, nearestRow } = this;
    const { width: W, channels, values, coverage } = this.field;
    const first = y * W;
    const reach = this.reachIn(first + from + 1, first + to);
    let n = 0;
    for (let q = Math.max(0, from); q <= to && q < W; q++) {
      const row = nearestRow[first + q];
      if (row < 0 || Math.abs(row - y) > reach) continue;
      const fq = (y - row) ** 2 + q * q;
      let start = -Infinity;
      while (n > 0) {
        const p = columns[n - 1];
        start = (fq - (y - nearestRow[first + p]) ** 2 - p * p) / (2 * (q - p));
        if (start >= starts[n - 1]) break;
        n--;
        start = -Infinity;
      }
      columns[n] = q;
      starts[n++] = start;
    }
    if (n === 0) return;
    starts[n] = Infinity;
    let k = 0;
    for (let x = from + 1; x < to; x++) {
      while (k + 1 < n && starts[k + 1] < x) k++;
      const i = first + x;
      let column = columns[k];
      let row = nearestRow[first + column];
      for (let j = k + 1; j < n && starts[j] === x; j++) {
        const other = nearestRow[first + columns[j]];
        if (other < row) {
          row = other;
          column = columns[j];
        }
      }
      if (coverage[i] !== MISSED) {
        if ((x - column) ** 2 + (y - row) ** 2 > this.width * this.width) continue;
        if (coverage[i] === OUTSIDE) coverage[i] = PADDING;
      }
      for (let c = 0; c < channels; c++) values[channels * i + c] = values[channels * (row * W + column) + c];
    }
  }

  /** How far away something may be to be of use for some texels: any distance where one of them was missed. */
  private reachIn(from: number, to: number): number {
    const { coverage } = this.field;
    if (this.width < Infinity) for (let i = from; i < to; i++) if (coverage[i] === MISSED) return Infinity;
    return this.width;
  }
}
