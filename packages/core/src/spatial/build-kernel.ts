import type { WasmMemory } from '../runtime/wasm';
import { bytesOfText, sharedPages, WASM_MAX_PAGES, WASM_PAGE, wasmHost } from '../runtime/wasm';
import { BUILD_WASM } from './build-wasm';
import { NODE_WORDS } from './tree-node';

/** Below this many triangles the memory costs more than the kernel gains. */
const LEAST = 2000;
/** The first word counts the threads that took scratch; scratch begins at the next page. */
const SCRATCH_AT = WASM_PAGE;
const SCRATCH_BYTES = 1 << 20;
const RECORD_WORDS = 8;

/** The functions of kernels/build.ts. Addresses in bytes; a range of triangles or records is its first, and one behind its last. */
export interface BuildKernel {
  useScratch(scratch: number): void;
  record(positions: number, corners: number, records: number, first: number, end: number): void;
  part(records: number, nodes: number, first: number, end: number, node: number, left: number, right: number): number;
  build(records: number, nodes: number, first: number, end: number, node: number, next: number): number;
}

/** Memory that a tree is built in, by one thread or several. */
export interface BuildSpace {
  readonly memory: WasmMemory;
  readonly threads: number;
  readonly recordsAt: number;
  readonly nodesAt: number;
  /** Where the mesh lies until nodes take its place. */
  readonly cornersAt: number;
  readonly positionsAt: number;
}
// compiled code belongs to the host, not to us
let compiled: object | null = null;
/** Memory of the last build, taken again unless the host has tidied it away meanwhile. */
let last: WeakRef<WasmMemory> | null = null;

/** Room for records and nodes over triangles, with the mesh in it.
 *  @param nodes at most so many @param threads that may work in it
 *  @returns null where the host cannot, or there is too little to gain */
export function buildSpace(positions: Float32Array, corners: Uint32Array, nodes: number, threads: number): BuildSpace | null {
  const T = corners.length / 3;
  const host = wasmHost();
  const recordsAt = SCRATCH_AT + threads * SCRATCH_BYTES;
  const nodesAt = recordsAt + 4 * RECORD_WORDS * T;
  const positionsAt = nodesAt + 12 * T;
  // records are read with a word more than a point has
  const pages = Math.ceil(Math.max(nodesAt + 4 * NODE_WORDS * nodes, positionsAt + 4 * positions.length + 16) / WASM_PAGE);
  if (host === null || T < LEAST || pages > WASM_MAX_PAGES) return null;
  try {
    const memory = sharedPages(host, pages, last?.deref() ?? null);
    last = new WeakRef(memory);
    new Uint32Array(memory.buffer, 0, 1)[0] = 0;
    new Uint32Array(memory.buffer, nodesAt, 3 * T).set(corners);
    new Float32Array(memory.buffer, positionsAt, positions.length).set(positions);
    return { memory, threads, recordsAt, nodesAt, cornersAt: nodesAt, positionsAt };
  } catch {
    return null; // the host does not give that much, or does not share it
  }
}

/** This thread's way to work in a space. @throws Error for more threads than it was made for */
export function buildKernelOn({ memory, threads }: BuildSpace): BuildKernel {
  const host = wasmHost();
  if (host === null) throw new Error('a tree is built by kernels where there are none');
  const slot = Atomics.add(new Uint32Array(memory.buffer, 0, 1), 0, 1);
  if (slot >= threads) throw new Error(`more than ${threads} threads build one tree`);
  compiled ??= new host.Module(bytesOfText(BUILD_WASM));
  const kernel = new host.Instance(compiled, { env: { memory } }).exports as BuildKernel;
  kernel.useScratch(SCRATCH_AT + slot * SCRATCH_BYTES);
  return kernel;
}

/** Nodes, where no more than so many have been used. */
export const nodesIn = ({ memory, nodesAt }: BuildSpace, nodes: number): Float32Array =>
  new Float32Array(memory.buffer, nodesAt, NODE_WORDS * nodes);

/** Writes the triangle of some leaf slots. @param out uint32[T] */
export function copyOrder({ memory, recordsAt }: BuildSpace, out: Uint32Array, first: number, end: number): void {
  const numbers = new Uint32Array(memory.buffer, recordsAt, RECORD_WORDS * out.length);
  for (let i = first; i < end; i++) out[i] = numbers[RECORD_WORDS * i + 3];
}

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
  const space = buildSpace(positions, corners, T, 1);
  if (space === null) return null;
  const { recordsAt, nodesAt, cornersAt, positionsAt } = space;
  let used: number;
  try {
    const kernel = buildKernelOn(space);
    kernel.record(positionsAt, cornersAt, recordsAt, 0, T);
    used = kernel.build(recordsAt, nodesAt, 0, T, 0, 1);
  } catch {
    return null; // no SIMD
  }
  if (used < 0) return null;
  const order = new Uint32Array(T);
  copyOrder(space, order, 0, T);
  return { used, nodes: nodesIn(space, used), order };
}
