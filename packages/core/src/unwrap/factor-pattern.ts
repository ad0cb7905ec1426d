import { dissectionOrder } from './dissection';

/** Which blocks a factor has, by places of the elimination. */
export interface FactorPattern {
  readonly order: Uint32Array; // N: point at each place of the elimination
  readonly place: Uint32Array; // and back
  /** Of each row of the factor, left of its diagonal: its columns, ascending, and where the block stands in the column-wise factor. */
  readonly rowStart: Uint32Array; // N + 1
  readonly rowColumns: Uint32Array;
  readonly rowSlots: Uint32Array;
  /** Of each column, below its diagonal: its rows, ascending. */
  readonly columnStart: Uint32Array; // N + 1
  readonly columnRows: Uint32Array;
}

/** The pattern of a matrix's factor, in an order that keeps it sparse: each row by the elimination tree (Davis, Direct Methods for Sparse Linear
 *  Systems, 2006, 4.7). @param rows uint32[N + 1] @param columns of each row */
export function factorPattern(rows: Uint32Array, columns: Uint32Array): FactorPattern {
  const N = rows.length - 1;
  const order = dissectionOrder(rows, columns);
  const place = new Uint32Array(N);
  order.forEach((p, k) => (place[p] = k));
  const rowStart = new Uint32Array(N + 1);
  const found: number[] = [];
  const parent = new Int32Array(N).fill(-1);
  const reached = new Int32Array(N).fill(-1);
  const columnStart = new Uint32Array(N + 1);
  for (let k = 0; k < N; k++) {
    const p = order[k];
    reached[k] = k;
    const begin = found.length;
    for (let n = rows[p]; n < rows[p + 1]; n++) {
      // up the elimination tree, from each neighbour that has gone before
      for (let j = place[columns[n]]; j < k && reached[j] !== k; j = parent[j]) {
        if (parent[j] < 0) parent[j] = k;
        reached[j] = k;
        found.push(j);
        columnStart[j + 1]++;
      }
    }
    rowStart[k + 1] = found.length;
    sortTail(found, begin);
  }
  for (let j = 0; j < N; j++) columnStart[j + 1] += columnStart[j];
  const rowColumns = Uint32Array.from(found);
  const rowSlots = new Uint32Array(found.length);
  const columnRows = new Uint32Array(found.length);
  const next = columnStart.slice(0, N);
  for (let k = 0; k < N; k++)
    for (let i = rowStart[k]; i < rowStart[k + 1]; i++) {
      const slot = next[rowColumns[i]]++;
      rowSlots[i] = slot;
      columnRows[slot] = k;
    }
  return { order, place, rowStart, rowColumns, rowSlots, columnStart, columnRows };
}

/** Sorts the numbers from `begin` on, in place. */
function sortTail(list: number[], begin: number): void {
  const tail = Uint32Array.from(list.slice(begin)).sort();
  for (let i = 0; i < tail.length; i++) list[begin + i] = tail[i];
}
