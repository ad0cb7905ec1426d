import type { RunControl } from './progress';
import { throwIfAborted } from './progress';
import type { SparseMatrix } from './sparse-matrix';
import { composed, multiplied, reordered, transposed, triples, walked } from './sparse-matrix';

const MOST_STEPS = 200;
/** What single precision leaves of a value, and a little. */
const SINGLE = 1e-7;

/** Columns beyond which their order in memory decides the time: their values no longer fit into a core's cache. */
const MANY_COLUMNS = 1 << 14;

export interface LeastSquares {
  readonly A: SparseMatrix;
  /** Three values a row. */
  readonly b: Float64Array;
  /** Of the rows; null for 1. */
  readonly weights: Float64Array | null;
  /** Where to begin, three values a column; kept. */
  readonly from: Float64Array;
  /** Ends where the scaled gradient is this small beside what is left, or that beside b is below single precision (Paige, Saunders 1982). */
  readonly enough: number;
}

/** x that brings A x nearest to b: conjugate gradients (Hestenes, Stiefel 1952) on the normal equations, which are written out: they have a row a
 *  column of A, of which there are few. Set up for the *change* of x, so that values far from zero cost no digits; each column scaled by its own
 *  length.  @returns three values a column  @throws CancelledError */
export function leastSquares(problem: LeastSquares, control?: RunControl): Float64Array {
  const { A, b, weights, from } = problem;
  if (A.columns < MANY_COLUMNS) return solved(problem, control);
  const order = walked(A, transposed(A));
  const near: LeastSquares = {
    ...problem,
    A: reordered(A, order),
    b: triples(b, order.rows),
    weights: weights === null ? null : Float64Array.from(order.rows, (row) => weights[row]),
    from: triples(from, order.columns),
  };
  const x = solved(near, control);
  const out = new Float64Array(x.length);
  for (let i = 0; i < x.length; i++) out[3 * order.columns[Math.floor(i / 3)] + (i % 3)] = x[i];
  return out;
}

function solved({ A, b, weights, from, enough }: LeastSquares, control?: RunControl): Float64Array {
  const back = transposed(A, weights);
  const r = multiplied(A, from);
  let [all, left] = [0, 0];
  for (let i = 0; i < r.length; i++) {
    const w = weights === null ? 1 : weights[Math.floor(i / 3)];
    r[i] = b[i] - r[i];
    all += w * b[i] * b[i];
    left += w * r[i] * r[i];
  }
  const s = multiplied(back, r);
  throwIfAborted(control);
  const normal = composed(back, A);
  const scale = oneOverDiagonal(normal);
  const x = from.slice();
  const p = s.map((value, i) => scale[i] * value);
  let gamma = dotScaled(s, scale);
  for (let step = 0; step < MOST_STEPS && gamma > enough ** 2 * left && left > SINGLE ** 2 * all; step++) {
    throwIfAborted(control);
    control?.onProgress?.(step / MOST_STEPS, 'fitting');
    const q = multiplied(normal, p);
    const bend = dot(p, q);
    if (!(bend > 0)) break;
    const alpha = gamma / bend;
    for (let i = 0; i < x.length; i++) {
      x[i] += alpha * p[i];
      s[i] -= alpha * q[i];
    }
    left -= alpha * gamma;
    const next = dotScaled(s, scale);
    const beta = next / gamma;
    gamma = next;
    for (let i = 0; i < p.length; i++) p[i] = scale[i] * s[i] + beta * p[i];
  }
  return x;
}

/** Three values a row; 0 where nothing depends on it. */
function oneOverDiagonal({ start, column, weight }: SparseMatrix): Float64Array {
  const rows = start.length - 1;
  const out = new Float64Array(3 * rows);
  for (let v = 0; v < rows; v++)
    for (let i = start[v]; i < start[v + 1]; i++) if (column[i] === v && weight[i] > 0) out.fill(1 / weight[i], 3 * v, 3 * v + 3);
  return out;
}

function dot(a: Float64Array, b: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i] * b[i];
  return sum;
}

function dotScaled(a: Float64Array, scale: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i] * a[i] * scale[i];
  return sum;
}
