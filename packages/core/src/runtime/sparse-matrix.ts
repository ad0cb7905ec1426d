import type { RunControl } from './progress';
import { throwIfAborted } from './progress';

/** Rows of weights, most of them zero. */
export interface SparseMatrix {
  readonly columns: number;
  readonly start: Uint32Array; // rows + 1
  readonly column: Uint32Array;
  readonly weight: Float64Array;
}

/** Puts rows together one after another; what is added to a column twice is summed. */
export class SparseRows {
  private column = new Uint32Array(1 << 12);
  private weight = new Float64Array(1 << 12);
  private readonly start: Uint32Array;
  private rows = 0;
  private length = 0;

  constructor(
    rows: number,
    private readonly columns: number,
  ) {
    this.start = new Uint32Array(rows + 1);
  }

  add(column: number, weight: number): void {
    for (let i = this.start[this.rows]; i < this.length; i++)
      if (this.column[i] === column) {
        this.weight[i] += weight;
        return;
      }
    if (this.length === this.column.length) {
      const [column2, weight2] = [new Uint32Array(2 * this.length), new Float64Array(2 * this.length)];
      column2.set(this.column);
      weight2.set(this.weight);
      this.column = column2;
      this.weight = weight2;
    }
    this.column[this.length] = column;
    this.weight[this.length++] = weight;
  }

  endRow(): void {
    this.start[++this.rows] = this.length;
  }

  finish(): SparseMatrix {
    return {
      columns: this.columns,
      start: this.start,
      column: this.column.subarray(0, this.length),
      weight: this.weight.subarray(0, this.length),
    };
  }
}

/** @param x three values a column  @returns three a row */
export function multiplied({ start, column, weight }: SparseMatrix, x: Float64Array): Float64Array {
  const rows = start.length - 1;
  const out = new Float64Array(3 * rows);
  for (let r = 0; r < rows; r++) {
    let a = 0, b = 0, c = 0; // prettier-ignore
    for (let i = start[r]; i < start[r + 1]; i++) {
      const w = weight[i];
      const o = 3 * column[i];
      a += w * x[o];
      b += w * x[o + 1];
      c += w * x[o + 2];
    }
    out[3 * r] = a;
    out[3 * r + 1] = b;
    out[3 * r + 2] = c;
  }
  return out;
}

/** By the transposed matrix. @param y three values a row  @returns three a column */
export function multipliedTransposed({ columns, start, column, weight }: SparseMatrix, y: Float64Array): Float64Array {
  const out = new Float64Array(3 * columns);
  for (let r = 0; r + 1 < start.length; r++) {
    const [a, b, c] = [y[3 * r], y[3 * r + 1], y[3 * r + 2]];
    for (let i = start[r]; i < start[r + 1]; i++) {
      const w = weight[i];
      const o = 3 * column[i];
      out[o] += w * a;
      out[o + 1] += w * b;
      out[o + 2] += w * c;
    }
  }
  return out;
}

const MOST_STEPS = 200;
/** What single precision leaves of a value, and a little. */
const SINGLE = 1e-7;

/** x that brings A x nearest to b, by weights of the rows: conjugate gradients on the normal equations (Hestenes, Stiefel 1952, in the form CGLS of
 *  Bjorck 1996, 7.4), each column scaled by its own length. Three values each.
 *  @param factors A as a product, the last factor first applied  @param weights of the rows; null for 1  @param from where to begin; kept
 *  @param enough ends where the scaled gradient is this small beside what is left, or that beside b is below single precision (Paige, Saunders 1982)  @throws CancelledError */
export function leastSquares(
  factors: readonly SparseMatrix[],
  b: Float64Array,
  weights: Float64Array | null,
  from: Float64Array,
  enough: number,
  control?: RunControl,
): Float64Array {
  const forward = (x: Float64Array): Float64Array => factors.reduceRight((v, factor) => multiplied(factor, v), x);
  const back = (y: Float64Array): Float64Array => factors.reduce((v, factor) => multipliedTransposed(factor, v), y);
  /** By the weights. @param out may be the same */
  const weigh = (y: Float64Array, out: Float64Array): Float64Array => {
    for (let i = 0; i < y.length; i += 3) {
      const w = weights === null ? 1 : weights[i / 3];
      out[i] = w * y[i];
      out[i + 1] = w * y[i + 1];
      out[i + 2] = w * y[i + 2];
    }
    return out;
  };
  const x = from.slice();
  const r = forward(x);
  for (let i = 0; i < r.length; i++) r[i] = b[i] - r[i];
  const scale = scaleOf(factors, weights);
  const weighed = new Float64Array(r.length);
  let s = back(weigh(r, weighed));
  let gamma = dotScaled(s, s, scale);
  const noise = SINGLE ** 2 * dot(b, weigh(b, weighed));
  let left = dot(r, weigh(r, weighed));
  const p = scaled(s, scale);
  for (let step = 0; step < MOST_STEPS && gamma > enough ** 2 * left && left > noise; step++) {
    throwIfAborted(control);
    control?.onProgress?.(step / MOST_STEPS, 'fitting');
    const q = forward(p);
    const bend = dot(q, weigh(q, weighed));
    if (!(bend > 0)) break;
    const alpha = gamma / bend;
    for (let i = 0; i < x.length; i++) x[i] += alpha * p[i];
    for (let i = 0; i < r.length; i++) r[i] -= alpha * q[i];
    weigh(r, weighed);
    left = dot(r, weighed);
    s = back(weighed);
    const next = dotScaled(s, s, scale);
    const beta = next / gamma;
    gamma = next;
    for (let i = 0; i < p.length; i++) p[i] = scale[i] * s[i] + beta * p[i];
  }
  return x;
}

/** One over the squares' sum of each column, as the factors' columns have them one by one: near enough to even out columns of few and of many rows. */
function scaleOf(factors: readonly SparseMatrix[], weights: Float64Array | null): Float64Array {
  let sums = weights?.slice() ?? new Float64Array(factors[0].start.length - 1).fill(1);
  for (const { columns, start, column, weight } of factors) {
    const next = new Float64Array(columns);
    for (let r = 0; r + 1 < start.length; r++)
      for (let i = start[r]; i < start[r + 1]; i++) next[column[i]] += Math.abs(weight[i]) * sums[r];
    sums = next;
  }
  const out = new Float64Array(3 * sums.length);
  for (let v = 0; v < sums.length; v++) out.fill(sums[v] > 0 ? 1 / sums[v] : 0, 3 * v, 3 * v + 3);
  return out;
}

function scaled(a: Float64Array, scale: Float64Array): Float64Array {
  const out = a.slice();
  for (let i = 0; i < out.length; i++) out[i] *= scale[i];
  return out;
}

function dot(a: Float64Array, b: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i] * b[i];
  return sum;
}

function dotScaled(a: Float64Array, b: Float64Array, scale: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i] * b[i] * scale[i];
  return sum;
}
