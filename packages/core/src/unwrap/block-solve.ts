import { dissectionOrder } from './dissection';

/** A symmetric positive definite matrix of 2 x 2 blocks on the points of a triangle mesh: rows hold the diagonal and the neighbours. */
export interface BlockMatrix {
  readonly rows: Uint32Array; // N + 1
  readonly columns: Uint32Array; // ascending within a row
  /** Three numbers a block, itself symmetric: uu, uv, vv. */
  readonly values: Float64Array;
}

/** The places of a triangle mesh's blocks, all zero, and where each triangle's nine blocks stand. */
export function blockMatrix(points: number, triangles: Uint32Array): { matrix: BlockMatrix; places: Uint32Array } {
  const lists: number[][] = Array.from({ length: points }, (_, i) => [i]);
  for (let t = 0; t < triangles.length; t += 3)
    for (let a = 0; a < 3; a++) for (let b = 0; b < 3; b++) if (a !== b) lists[triangles[t + a]].push(triangles[t + b]);
  const rows = new Uint32Array(points + 1);
  lists.forEach((list, i) => {
    lists[i] = [...new Set(list)].sort((x, y) => x - y);
    rows[i + 1] = rows[i] + lists[i].length;
  });
  const columns = Uint32Array.from(lists.flat());
  const places = new Uint32Array(3 * triangles.length);
  for (let t = 0; t < triangles.length; t += 3)
    for (let a = 0; a < 3; a++)
      for (let b = 0; b < 3; b++) {
        let k = rows[triangles[t + a]];
        while (columns[k] !== triangles[t + b]) k++;
        places[3 * t + 3 * a + b] = k;
      }
  return { matrix: { rows, columns, values: new Float64Array(3 * columns.length) }, places };
}

/** Solves with matrices of one pattern: rows are eliminated one after the other (up-looking Cholesky, Davis, Direct Methods for Sparse Linear
 *  Systems, 2006, 4.7), in an order that keeps the factor sparse. */
export class BlockSolver {
  private readonly order: Uint32Array; // N: point at each place of the elimination
  private readonly place: Uint32Array; // and back
  /** Of each row of the factor, left of its diagonal: its columns, ascending, and where the block stands in the column-wise factor. */
  private readonly rowStart: Uint32Array;
  private readonly rowColumns: Uint32Array;
  private readonly rowSlots: Uint32Array;
  private readonly columnStart: Uint32Array;
  private readonly columnRows: Uint32Array;
  private readonly lower: Float64Array; // four numbers a block, row by row
  private readonly diagonal: Float64Array; // three numbers a block: its own Cholesky factor

  constructor(private readonly matrix: BlockMatrix) {
    const { rows, columns } = matrix;
    const N = rows.length - 1;
    this.order = dissectionOrder(rows, columns);
    this.place = new Uint32Array(N);
    this.order.forEach((p, k) => (this.place[p] = k));
    this.rowStart = new Uint32Array(N + 1);
    const found: number[] = [];
    const parent = new Int32Array(N).fill(-1);
    const reached = new Int32Array(N).fill(-1);
    const counts = new Uint32Array(N + 1);
    for (let k = 0; k < N; k++) {
      const p = this.order[k];
      reached[k] = k;
      const begin = found.length;
      for (let n = rows[p]; n < rows[p + 1]; n++) {
        // up the elimination tree, from each neighbour that has gone before
        for (let j = this.place[columns[n]]; j < k && reached[j] !== k; j = parent[j]) {
          if (parent[j] < 0) parent[j] = k;
          reached[j] = k;
          found.push(j);
          counts[j + 1]++;
        }
      }
      this.rowStart[k + 1] = found.length;
      sortTail(found, begin);
    }
    this.rowColumns = Uint32Array.from(found);
    for (let j = 0; j < N; j++) counts[j + 1] += counts[j];
    this.columnStart = counts;
    this.rowSlots = new Uint32Array(found.length);
    this.columnRows = new Uint32Array(found.length);
    const next = counts.slice(0, N);
    for (let k = 0; k < N; k++)
      for (let i = this.rowStart[k]; i < this.rowStart[k + 1]; i++) {
        const slot = next[this.rowColumns[i]]++;
        this.rowSlots[i] = slot;
        this.columnRows[slot] = k;
      }
    this.lower = new Float64Array(4 * found.length);
    this.diagonal = new Float64Array(3 * N);
  }

  /** Overwrites `x` with the answer for the right-hand side `b`, both float64[2 N].
   *  @returns false, `x` untouched, where the matrix is not positive definite */
  solve(x: Float64Array, b: Float64Array): boolean {
    if (!this.factorise()) return false;
    const { order, rowStart, rowColumns, rowSlots, lower: L, diagonal: D } = this;
    const N = order.length;
    const y = new Float64Array(2 * N);
    for (let k = 0; k < N; k++) {
      let [u, v] = [b[2 * order[k]], b[2 * order[k] + 1]];
      for (let i = rowStart[k]; i < rowStart[k + 1]; i++) {
        const [j, s] = [2 * rowColumns[i], 4 * rowSlots[i]];
        u -= L[s] * y[j] + L[s + 1] * y[j + 1];
        v -= L[s + 2] * y[j] + L[s + 3] * y[j + 1];
      }
      y[2 * k] = u / D[3 * k];
      y[2 * k + 1] = (v - D[3 * k + 1] * y[2 * k]) / D[3 * k + 2];
    }
    for (let k = N - 1; k >= 0; k--) {
      const v = y[2 * k + 1] / D[3 * k + 2];
      const u = (y[2 * k] - D[3 * k + 1] * v) / D[3 * k];
      for (let i = rowStart[k]; i < rowStart[k + 1]; i++) {
        const [j, s] = [2 * rowColumns[i], 4 * rowSlots[i]];
        y[j] -= L[s] * u + L[s + 2] * v;
        y[j + 1] -= L[s + 1] * u + L[s + 3] * v;
      }
      x[2 * order[k]] = u;
      x[2 * order[k] + 1] = v;
    }
    return true;
  }

  private factorise(): boolean {
    const { order, place, rowStart, rowColumns, rowSlots, columnStart, columnRows, lower: L, diagonal: D } = this;
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

/** Sorts the numbers from `begin` on, in place. */
function sortTail(list: number[], begin: number): void {
  const tail = Uint32Array.from(list.slice(begin)).sort();
  for (let i = 0; i < tail.length; i++) list[begin + i] = tail[i];
}
