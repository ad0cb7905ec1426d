import { bytesOfText, WASM_MAX_PAGES, WASM_PAGE, wasmHost } from '../runtime/wasm';
import { BUILD_WASM } from './build-wasm';
import { NODE_WORDS } from './tree-node';

/** Below this many triangles the memory costs more than the kernel gains. */
const LEAST = 2000;
/** The kernel's scratch lies below. */
const RECORDS_AT = 1 << 20;
const RECORD_WORDS = 8;

interface BuildKernel {
  build(records: number, T: number, nodes: number): number;
}
// compiled code belongs to the host, not to us
let compiled: object | null = null;

/** A binary tree as the plain builder gives it. */
export interface BuiltNodes {
  readonly used: number;
  /** All that was used, in memory that the next build does not touch. */
  readonly nodes: Float32Array; // 16 used
  readonly order: Uint32Array; // T: triangle of each leaf slot
}

/** Builds the tree over triangles' boxes in WebAssembly: word by word what the plain builder gives (kernels/build.ts), several times as fast.
 *  @returns null where the host cannot, or there is too little to gain */
export function buildInKernel(positions: Float32Array, corners: Uint32Array): BuiltNodes | null {
  const T = corners.length / 3;
  const host = wasmHost();
  const nodesAt = RECORDS_AT + 4 * RECORD_WORDS * T;
  const pages = Math.ceil((nodesAt + 4 * NODE_WORDS * T) / WASM_PAGE);
  if (host === null || T < LEAST || pages > WASM_MAX_PAGES) return null;
  try {
    compiled ??= new host.Module(bytesOfText(BUILD_WASM));
    const memory = new host.Memory({ initial: pages, maximum: pages, shared: false });
    const kernel = new host.Instance(compiled, { env: { memory } }).exports as BuildKernel;
    const records = new Float32Array(memory.buffer, RECORDS_AT, RECORD_WORDS * T);
    const numbers = new Uint32Array(memory.buffer, RECORDS_AT, RECORD_WORDS * T);
    writeRecords(records, numbers, positions, corners);
    const used = kernel.build(RECORDS_AT, T, nodesAt);
    if (used < 0) return null;
    const order = new Uint32Array(T);
    for (let i = 0; i < T; i++) order[i] = numbers[RECORD_WORDS * i + 3];
    return { used, nodes: new Float32Array(memory.buffer, nodesAt, NODE_WORDS * used), order };
  } catch {
    return null; // no SIMD, or not that much memory
  }
}

/** Box and number of each triangle: min x, y, z, number, max x, y, z, unused. */
function writeRecords(records: Float32Array, numbers: Uint32Array, positions: Float32Array, corners: Uint32Array): void {
  for (let t = 0, o = 0; 3 * t < corners.length; t++, o += RECORD_WORDS) {
    const a = 3 * corners[3 * t];
    const b = 3 * corners[3 * t + 1];
    const c = 3 * corners[3 * t + 2];
    for (let k = 0; k < 3; k++) {
      const x = positions[a + k];
      const y = positions[b + k];
      const z = positions[c + k];
      records[o + k] = x < y ? (x < z ? x : z) : y < z ? y : z;
      records[o + 4 + k] = x > y ? (x > z ? x : z) : y > z ? y : z;
    }
    numbers[o + 3] = t;
  }
}
