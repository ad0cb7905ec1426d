import type { WasmHost, WasmMemory } from '../runtime/wasm';
import { bytesOfText, hasPages, WASM_MAX_PAGES, WASM_PAGE, wasmHost } from '../runtime/wasm';
import type { BlockMatrix } from './block-solve';
import { CHOLESKY_WASM } from './cholesky-wasm';
import type { FactorPattern } from './factor-pattern';

interface Exports {
  // prettier-ignore
  factorise(N: number, order: number, place: number, rows: number, columns: number, values: number, rowStart: number, rowColumns: number,
    rowSlots: number, columnStart: number, columnRows: number, L: number, D: number, row: number): number;
  solve(N: number, columnStart: number, columnRows: number, L: number, D: number, x: number): void;
}
/** Where the arrays of one matrix lie, bytes. */
type Layout = Readonly<
  Record<'values' | 'L' | 'D' | 'row' | 'x' | 'rows' | 'columns' | keyof FactorPattern, number> & { readonly end: number }
>;

/** Below this many points copying takes what the kernel gains. */
const LEAST = 40;

/** Cholesky's factor in WebAssembly (kernels/cholesky.ts): the numbers of the plain code, bit by bit, several times as fast. One memory serves
 *  all matrices of a thread, one after the other. */
class CholeskyKernel {
  private compiled: object | null = null;
  private memory: WasmMemory | null = null;
  private exports: Exports | null = null;
  /** Whose pattern lies in the memory. */
  private there: { readonly pattern: FactorPattern; readonly layout: Layout } | null = null;

  /** @see BlockSolver.solve @returns null where the host cannot, or there is too little to gain */
  solve(pattern: FactorPattern, matrix: BlockMatrix, x: Float64Array, b: Float64Array): boolean | null {
    const { order } = pattern;
    const N = order.length;
    const host = wasmHost();
    if (host === null || N < LEAST) return null;
    try {
      const at = this.place(host, pattern, matrix);
      const { memory, exports } = this;
      if (at === null || memory === null || exports === null) return null;
      new Float64Array(memory.buffer, at.values, matrix.values.length).set(matrix.values);
      const found = exports.factorise(N, at.order, at.place, at.rows, at.columns, at.values, at.rowStart, at.rowColumns, at.rowSlots, at.columnStart, at.columnRows, at.L, at.D, at.row); // prettier-ignore
      if (found === 0) {
        this.there = null; // the row at work was left as it was
        return false;
      }
      const own = new Float64Array(memory.buffer, at.x, 2 * N);
      for (let k = 0; k < N; k++) {
        own[2 * k] = b[2 * order[k]];
        own[2 * k + 1] = b[2 * order[k] + 1];
      }
      exports.solve(N, at.columnStart, at.columnRows, at.L, at.D, at.x);
      for (let k = 0; k < N; k++) {
        x[2 * order[k]] = own[2 * k];
        x[2 * order[k] + 1] = own[2 * k + 1];
      }
      return true;
    } catch {
      return null; // no SIMD, or not that much memory
    }
  }

  /** The pattern's place in the memory, and the pattern in it. */
  private place(host: WasmHost, pattern: FactorPattern, { rows, columns }: BlockMatrix): Layout | null {
    if (this.there?.pattern === pattern) return this.there.layout;
    const N = pattern.order.length;
    const layout = layoutOf(N, pattern, columns.length);
    const pages = Math.ceil(layout.end / WASM_PAGE);
    if (pages > WASM_MAX_PAGES) return null;
    this.compiled ??= new host.Module(bytesOfText(CHOLESKY_WASM));
    if (this.memory === null || !hasPages(this.memory, pages)) {
      this.memory = new host.Memory({ initial: pages, maximum: WASM_MAX_PAGES, shared: false });
      this.exports = new host.Instance(this.compiled, { env: { memory: this.memory } }).exports as Exports;
    }
    const { buffer } = this.memory;
    for (const [name, array] of Object.entries({ ...pattern, rows, columns }))
      new Uint32Array(buffer, layout[name as keyof Layout], array.length).set(array);
    new Float64Array(buffer, layout.row, 4 * N).fill(0);
    this.there = { pattern, layout };
    return layout;
  }
}

function layoutOf(N: number, { columnRows }: FactorPattern, blocks: number): Layout {
  const factor = columnRows.length;
  let end = 1024;
  const room = (bytes: number): number => {
    const at = end;
    end += Math.ceil(bytes / 16) * 16;
    return at;
  };
  return {
    values: room(24 * blocks),
    L: room(32 * factor),
    D: room(24 * N),
    row: room(32 * N),
    x: room(16 * N),
    rows: room(4 * N + 4),
    columns: room(4 * blocks),
    order: room(4 * N),
    place: room(4 * N),
    rowStart: room(4 * N + 4),
    rowColumns: room(4 * factor),
    rowSlots: room(4 * factor),
    columnStart: room(4 * N + 4),
    columnRows: room(4 * factor),
    end,
  };
}

/** One a thread. */
export const choleskyKernel = new CholeskyKernel();
