import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Kernel, Range, Threads } from '../runtime/threads';
import { partsFor } from '../runtime/threads';
import type { Field } from './field';
import { isForAll, isMeasured, MISSED, OUTSIDE, PADDING } from './field';

/** Fills outside texels up to `width` texels away (Infinity: the whole tile) and missed texels at any distance with the value of the
 *  nearest measured texel, by exact Euclidean distance; ties go to the lowest row, then column. Missed texels keep their class.
 *
 *  Columns first, then the lower envelope of parabolas along each row (Felzenszwalb and Huttenlocher 2012): linear in texels. What is nearest to
 *  a texel between two measured ones of its row lies in a column between theirs or in one of theirs, so a row is gone through gap by gap.
 *  Parabolas that touch the envelope in one point are kept, so that every tie is seen. */
export function padInPlace(field: Field, width: number): void {
  const nearestRow = new Int16Array(field.coverage.length);
  findNearestRows(field, nearestRow, { from: 0, to: field.width });
  padRows(field, nearestRow, width, { from: 0, to: field.height });
}

/** The same; where all threads see the field, all of them pad it. @throws CancelledError */
export async function padByThreads(field: Field, width: number, threads: Threads, control?: RunControl): Promise<void> {
  const { width: W, height: H } = field;
  if (!isForAll(field, threads)) {
    padInPlace(field, width);
    return;
  }
  const shared: Padding = { field, nearestRow: new Int16Array(threads.allocate(2 * W * H)), width };
  const parts = (of: 'columns' | 'rows', count: number): PaddingPart[] => partsFor(count, threads).map((range) => ({ of, ...range }));
  for (const tasks of [parts('columns', W), parts('rows', H)]) await threads.run(padPart, shared, tasks, () => undefined, stopOf(control));
}

/** A field on its way, in memory that all threads see. */
interface Padding {
  readonly field: Field;
  readonly nearestRow: Int16Array; // W x H; a map has at most 16384 rows
  readonly width: number;
}
type PaddingPart = Range & { readonly of: 'columns' | 'rows' };

/** Looks for the nearest rows of some columns, or fills some rows when that is known of all columns. Only measured texels are read and only others written. */
export const padPart: Kernel<Padding, PaddingPart, null> = {
  name: 'pad-part',
  run({ field, nearestRow, width }, part) {
    if (part.of === 'columns') findNearestRows(field, nearestRow, part);
    else padRows(field, nearestRow, width, part);
    return null;
  },
};

/** Row of the nearest measured texel in each texel's column, the upper one of two; -1 where there is none. */
function findNearestRows({ width: W, height: H, coverage }: Field, nearest: Int16Array, { from, to }: Range): void {
  // the last measured row of each column above, then the next one below, row by row: columns lie far apart in memory
  const last = new Int32Array(W).fill(-1);
  for (let y = 0; y < H; y++)
    for (let x = from, i = y * W + from; x < to; x++, i++) {
      if (isMeasured(coverage[i])) last[x] = y;
      nearest[i] = last[x];
    }
  const next = new Int32Array(W).fill(-1);
  for (let y = H - 1; y >= 0; y--)
    for (let x = from, i = y * W + from; x < to; x++, i++) {
      const above = nearest[i];
      if (above === y) next[x] = y;
      else if (next[x] >= 0 && (above < 0 || next[x] - y < y - above)) nearest[i] = next[x];
    }
}

function padRows(field: Field, nearestRow: Int16Array, width: number, { from: y0, to: y1 }: Range): void {
  const { width: W } = field;
  const gaps = new Gaps(field, nearestRow, width);
  for (let y = y0; y < y1; y++) {
    let from = -1;
    for (let x = 0, i = y * W; x < W; x++, i++) {
      if (nearestRow[i] !== y) continue;
      if (x > from + 1) gaps.fill(y, from, x);
      from = x;
    }
    if (from + 1 < W) gaps.fill(y, from, W);
  }
}

/** Fills the texels between two measured ones of a row. */
class Gaps {
  /** Columns whose parabolas make the envelope, and where each begins. */
  private readonly columns: Int32Array;
  private readonly starts: Float64Array;

  constructor(
    private readonly field: Field,
    private readonly nearestRow: Int16Array,
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
