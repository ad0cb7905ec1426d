import type { WasmHost, WasmMemory } from '../runtime/wasm';
import { bytesOfText, hasPages, WASM_MAX_PAGES, WASM_PAGE, wasmHost } from '../runtime/wasm';
import { BUILD_WASM } from './build-wasm';
import { NODE_WORDS } from './tree-node';

/** Below this many triangles the memory costs more than the kernel gains. */
const LEAST = 2000;
/** The kernel's scratch lies below. */
const RECORDS_AT = 1 << 20;
const RECORD_WORDS = 8;

interface BuildKernel {
  record(positions: number, corners: number, T: number, records: number): void;
  build(records: number, T: number, nodes: number): number;
}
// compiled code belongs to the host, not to us
let compiled: object | null = null;
/** Memory of the last build and how much of it was written, taken again unless the host has tidied it away meanwhile. */
let last: { readonly memory: WeakRef<WasmMemory>; readonly written: number } | null = null;

/** A binary tree as the plain builder gives it. */
export interface BuiltNodes {
  readonly used: number;
  /** All that was used; the next build may take its memory. */
  readonly nodes: Float32Array; // 16 used
  readonly order: Uint32Array; // T: triangle of each leaf slot
}

/** Builds the tree over triangles' boxes in WebAssembly: word by word what the plain builder gives (kernels/build.ts), several times as fast.
 *  @returns null where the host cannot, or there is too little to gain */
export function buildInKernel(positions: Float32Array, corners: Uint32Array): BuiltNodes | null {
  const T = corners.length / 3;
  const host = wasmHost();
  const nodesAt = RECORDS_AT + 4 * RECORD_WORDS * T;
  const pages = Math.ceil((nodesAt + Math.max(4 * NODE_WORDS * T, 12 * T + 4 * positions.length + 16)) / WASM_PAGE);
  if (host === null || T < LEAST || pages > WASM_MAX_PAGES) return null;
  try {
    compiled ??= new host.Module(bytesOfText(BUILD_WASM));
    const memory = takeMemory(host, pages, nodesAt);
    const kernel = new host.Instance(compiled, { env: { memory } }).exports as BuildKernel;
    // the mesh lies for a moment where nodes will
    new Uint32Array(memory.buffer, nodesAt, 3 * T).set(corners);
    new Float32Array(memory.buffer, nodesAt + 12 * T, positions.length).set(positions);
    kernel.record(nodesAt + 12 * T, nodesAt, T, RECORDS_AT);
    new Uint8Array(memory.buffer, nodesAt, 12 * T + 4 * positions.length).fill(0);
    const numbers = new Uint32Array(memory.buffer, RECORDS_AT, RECORD_WORDS * T);
    const used = kernel.build(RECORDS_AT, T, nodesAt);
    last = { memory: new WeakRef(memory), written: nodesAt + Math.max(4 * NODE_WORDS * Math.max(0, used), 12 * T + 4 * positions.length) };
    if (used < 0) return null;
    const order = new Uint32Array(T);
    for (let i = 0; i < T; i++) order[i] = numbers[RECORD_WORDS * i + 3];
    return { used, nodes: new Float32Array(memory.buffer, nodesAt, NODE_WORDS * used), order };
  } catch {
    return null; // no SIMD, or not that much memory
  }
}

/** Memory that is zero from an address on. */
function takeMemory(host: WasmHost, pages: number, zeroFrom: number): WasmMemory {
  const known = last?.memory.deref();
  const written = last?.written ?? 0;
  last = null;
  if (known === undefined || !hasPages(known, pages)) return new host.Memory({ initial: pages, maximum: WASM_MAX_PAGES, shared: false });
  if (written > zeroFrom) new Uint8Array(known.buffer, zeroFrom, written - zeroFrom).fill(0);
  return known;
}
