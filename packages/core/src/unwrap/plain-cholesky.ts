import type { BlockMatrix } from './block-solve';
import type { FactorPattern } from './factor-pattern';

/** The reference for the kernel, and what hosts without it take: rows are eliminated one after the other (up-looking Cholesky, Davis, Direct
 *  Methods for Sparse Linear Systems, 2006, 4.7). */
export class PlainCholesky {
  private readonly lower: Float64Array; // four numbers a block, column by column
  private readonly diagonal: Float64Array; // three numbers a block: its own Cholesky factor

  constructor(
    private readonly pattern: FactorPattern,
    private readonly matrix: BlockMatrix,
  ) {
    this.lower = new Float64Array(4 * pattern.columnRows.length);
    this.diagonal = new Float64Array(3 * pattern.order.length);
  }

  /** @see BlockSolver.solve */
  solve(x: Float64Array, b: Float64Array): boolean {
    if (!this.factorise()) return false;
    const { order, columnStart, columnRows } = this.pattern;
    const { lower: L, diagonal: D } = this;
    const N = order.length;
    const y = new Float64Array(2 * N);
    for (let k = 0; k < N; k++) {
      y[2 * k] = b[2 * order[k]];
      y[2 * k + 1] = b[2 * order[k] + 1];
    }
    for (let k = 0; k < N; k++) {
      const u = y[2 * k] / D[3 * k];
      const v = (y[2 * k + 1] - D[3 * k + 1] * u) / D[3 * k + 2];
      y[2 * k] = u;
      y[2 * k + 1] = v;
      for (let s = columnStart[k]; s < columnStart[k + 1]; s++) {
        const r = 2 * columnRows[s];
        y[r] -= L[4 * s] * u + L[4 * s + 1] * v;
        y[r + 1] -= L[4 * s + 2] * u + L[4 * s + 3] * v;
      }
    }
    for (let k = N - 1; k >= 0; k--) {
      let u = y[2 * k];
      let v = y[2 * k + 1];
      for (let s = columnStart[k + 1] - 1; s >= columnStart[k]; s--) {
        const r = 2 * columnRows[s];
        u -= L[4 * s] * y[r] + L[4 * s + 2] * y[r + 1];
        v -= L[4 * s + 1] * y[r] + L[4 * s + 3] * y[r + 1];
      }
      v /= D[3 * k + 2];
      y[2 * k + 1] = v;
      y[2 * k] = (u - D[3 * k + 1] * v) / D[3 * k];
    }
    for (let k = 0; k < N; k++) {
      x[2 * order[k]] = y[2 * k];
      x[2 * order[k] + 1] = y[2 * k + 1];
    }
    return true;
  }

  private factorise(): boolean {
    const { order, place, rowStart, rowColumns, rowSlots, columnStart, columnRows } = this.pattern;
    const { lower: L, diagonal: D } = this;
    const { rows, columns, values } = this.matrix;
    const N = order.length;
    const row = new Float64Array(4 * N); // the row at work, zero again when it is done
    for (let k = 0; k < N; k++) {
      const p = order[k];
      let [uu, uv, vv] = [0, 0, 0];
      for (let n = rows[p]; n < rows[p + 1]; n++) {
        const j = place[columns[n]];
        if (j === k) [uu, uv, vv] = [values[3 * n], values[3 * n + 1], values[3 * n + 2]];
        else if (j < k) {
          row[4 * j] = values[3 * n];
          row[4 * j + 1] = row[4 * j + 2] = values[3 * n + 1];
          row[4 * j + 3] = values[3 * n + 2];
        }
      }
      for (let i = rowStart[k]; i < rowStart[k + 1]; i++) {
        const j = rowColumns[i];
        const slot = rowSlots[i];
        // times the inverse transposed factor of the diagonal block
        const a = row[4 * j] / D[3 * j];
        const b = (row[4 * j + 1] - a * D[3 * j + 1]) / D[3 * j + 2];
        const c = row[4 * j + 2] / D[3 * j];
        const d = (row[4 * j + 3] - c * D[3 * j + 1]) / D[3 * j + 2];
        row[4 * j] = row[4 * j + 1] = row[4 * j + 2] = row[4 * j + 3] = 0;
        // no destructuring in here: it takes three times as long
        for (let s = columnStart[j]; s < slot; s++) {
          const r = 4 * columnRows[s];
          const e = L[4 * s];
          const f = L[4 * s + 1];
          const g = L[4 * s + 2];
          const h = L[4 * s + 3];
          row[r] -= a * e + b * f;
          row[r + 1] -= a * g + b * h;
          row[r + 2] -= c * e + d * f;
          row[r + 3] -= c * g + d * h;
        }
        L[4 * slot] = a;
        L[4 * slot + 1] = b;
        L[4 * slot + 2] = c;
        L[4 * slot + 3] = d;
        uu -= a * a + b * b;
        uv -= a * c + b * d;
        vv -= c * c + d * d;
      }
      if (!(uu > 0)) return false;
      const d0 = Math.sqrt(uu);
      const d1 = uv / d0;
      const rest = vv - d1 * d1;
      if (!(rest > 0)) return false;
      D[3 * k] = d0;
      D[3 * k + 1] = d1;
      D[3 * k + 2] = Math.sqrt(rest);
    }
    return true;
  }
}
