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

/** Three values each, of those that are named. */
export const triples = (values: Float64Array | Float32Array, of: Uint32Array): Float64Array =>
  new Float64Array(3 * of.length).map((_, i) => values[3 * of[Math.floor(i / 3)] + (i % 3)]);

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

/** Rows and columns changed over. @param weights of the rows, taken into what stands in them; null for 1 */
export function transposed({ columns, start, column, weight }: SparseMatrix, weights: Float64Array | null = null): SparseMatrix {
  const rows = start.length - 1;
  const begin = new Uint32Array(columns + 1);
  for (let i = 0; i < column.length; i++) begin[column[i] + 1]++;
  for (let c = 0; c < columns; c++) begin[c + 1] += begin[c];
  const at = begin.slice(0, columns);
  const rowOf = new Uint32Array(column.length);
  const values = new Float64Array(column.length);
  for (let r = 0; r < rows; r++) {
    const w = weights === null ? 1 : weights[r];
    for (let i = start[r]; i < start[r + 1]; i++) {
      const to = at[column[i]]++;
      rowOf[to] = r;
      values[to] = w * weight[i];
    }
  }
  return { columns: rows, start: begin, column: rowOf, weight: values };
}

/** The matrix that does what b does and then a (Gustavson 1978: row by row, with a mark a column). @param b has as many rows as a has columns */
export function composed(a: SparseMatrix, b: SparseMatrix): SparseMatrix {
  const rows = a.start.length - 1;
  const { start: aStart, column: aColumn, weight: aWeight } = a;
  const { start: bStart, column: bColumn, weight: bWeight } = b;
  // where a column stands in the row at hand; a row before it left smaller places
  const place = new Int32Array(b.columns).fill(-1);
  const start = new Uint32Array(rows + 1);
  let length = 0;
  for (let r = 0; r < rows; r++) {
    const begin = length;
    for (let i = aStart[r]; i < aStart[r + 1]; i++) {
      const row = aColumn[i];
      const end = bStart[row + 1];
      for (let k = bStart[row]; k < end; k++) if (place[bColumn[k]] < begin) place[bColumn[k]] = length++;
    }
    start[r + 1] = length;
  }
  place.fill(-1);
  const column = new Uint32Array(length);
  const weight = new Float64Array(length);
  length = 0;
  for (let r = 0; r < rows; r++) {
    const begin = length;
    for (let i = aStart[r]; i < aStart[r + 1]; i++) {
      const row = aColumn[i];
      const w = aWeight[i];
      const end = bStart[row + 1];
      for (let k = bStart[row]; k < end; k++) {
        const c = bColumn[k];
        const at = place[c];
        if (at < begin) {
          place[c] = length;
          column[length] = c;
          weight[length++] = w * bWeight[k];
        } else weight[at] += w * bWeight[k];
      }
    }
  }
  return { columns: b.columns, start, column, weight };
}

/** Where a matrix has values. */
export type Pattern = Omit<SparseMatrix, 'weight'>;

/** Columns and rows in the order of a walk from each to those that share a value with it (Cuthill, McKee 1969, without sorting by valence): what
 *  belongs together then lies together in memory. Those without values come last.
 *  @param back the transposed matrix  @returns for each place in the new order the column or row that was there */
export function walked(a: Pattern, back: Pattern): { readonly columns: Uint32Array; readonly rows: Uint32Array } {
  const columns = new Uint32Array(a.columns);
  const rows = new Uint32Array(back.columns);
  const metColumn = new Uint8Array(a.columns);
  const metRow = new Uint8Array(back.columns);
  let known = 0;
  let placed = 0;
  for (let seed = 0; seed < a.columns; seed++) {
    if (metColumn[seed] === 1) continue;
    metColumn[seed] = 1;
    columns[known++] = seed;
    for (let at = known - 1; at < known; at++)
      for (let i = back.start[columns[at]]; i < back.start[columns[at] + 1]; i++) {
        const row = back.column[i];
        if (metRow[row] === 1) continue;
        metRow[row] = 1;
        rows[placed++] = row;
        for (let k = a.start[row]; k < a.start[row + 1]; k++) {
          const next = a.column[k];
          if (metColumn[next] === 1) continue;
          metColumn[next] = 1;
          columns[known++] = next;
        }
      }
  }
  for (let row = 0; row < metRow.length; row++) if (metRow[row] === 0) rows[placed++] = row;
  return { columns, rows };
}

/** The same values with rows and columns in another order. */
export function reordered(a: SparseMatrix, { columns, rows }: { readonly columns: Uint32Array; readonly rows: Uint32Array }): SparseMatrix {
  const rank = new Uint32Array(a.columns);
  for (let c = 0; c < rank.length; c++) rank[columns[c]] = c;
  const start = new Uint32Array(rows.length + 1);
  const column = new Uint32Array(a.column.length);
  const weight = new Float64Array(a.column.length);
  let length = 0;
  for (let r = 0; r < rows.length; r++) {
    for (let i = a.start[rows[r]]; i < a.start[rows[r] + 1]; i++) {
      column[length] = rank[a.column[i]];
      weight[length++] = a.weight[i];
    }
    start[r + 1] = length;
  }
  return { columns: a.columns, start, column, weight };
}
