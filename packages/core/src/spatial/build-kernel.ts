import type { Range } from '../runtime/threads';
import type { WasmMemory } from '../runtime/wasm';
import { bytesOfText, wasmHost } from '../runtime/wasm';
import { BUILD_WASM } from './build-wasm';
import type { WideTree } from './wide-tree';
import { NODES_AT, SCRATCH, wideMemory } from './wide-tree';

const RECORD_WORDS = 8;
/** A child that `part` leaves behind: where its range is, in words, and how many words it takes. */
const CHILD_RANGE = 8;
const CHILD_WORDS = 20;

/** The functions of kernels/build.ts. Addresses in bytes; a range of triangles or records is its first, and one behind its last. */
interface BuildKernel {
  useScratch(scratch: number, bytes: number): number;
  record(positions: number, corners: number, records: number, first: number, end: number): void;
  part(records: number, nodes: number, first: number, end: number, node: number, child: number): number;
  build(records: number, nodes: number, first: number, end: number, node: number, next: number): number;
}
// compiled code belongs to the host, not to us
let compiled: object | null = null;

/** A tree's memory while it is built in it: the mesh lies where nodes will, records where corners will. */
export interface BuildSpace {
  readonly tree: WideTree;
  /** Pieces of scratch, one for each thread that ever builds in it. */
  readonly builders: number;
  readonly triangles: number;
  readonly cornersAt: number;
  readonly positionsAt: number;
}

/** Builders more than threads: one that ends in the middle, because other work of its thread broke off, is followed by another. */
const SPARE_BUILDERS = 64;

/** Room for a tree, with the mesh in it. Null where the host has no shared WebAssembly memory or no SIMD, or gives not that much.
 *  @param spare memory of a tree that nobody searches any more, taken where it is large enough */
export function buildSpace(positions: Float32Array, corners: Uint32Array, threads: number, spare: WasmMemory | null): BuildSpace | null {
  const T = corners.length / 3;
  // points are read with a word more than they have
  const found = wideMemory(T, 12 * T + 4 * positions.length + 16, spare);
  if (found === null) return null;
  const { tree, meshAt } = found;
  const space = { tree, builders: threads + SPARE_BUILDERS, triangles: T, cornersAt: meshAt, positionsAt: meshAt + 12 * T };
  const { buffer } = tree.memory;
  taken(tree.memory)[0] = 0;
  new Uint32Array(buffer, space.cornersAt, 3 * T).set(corners);
  new Float32Array(buffer, space.positionsAt, positions.length).set(positions);
  return space;
}

/** How many threads have scratch. The first word counts those that search. */
const taken = (memory: WasmMemory): Uint32Array => new Uint32Array(memory.buffer, 4, 1);

/** One thread's way to build in a space. Nodes and leaves are those of the plain builder, gathered four by four. */
export class TreeBuilder {
  private readonly kernel: BuildKernel;
  private readonly children: Int32Array;

  /** @throws Error for far more threads than the space was made for */
  constructor(private readonly space: BuildSpace) {
    const host = wasmHost();
    if (host === null) throw new Error('a tree is built by kernels where there are none');
    const { memory } = space.tree;
    const slot = Atomics.add(taken(memory), 0, 1);
    if (slot >= space.builders) throw new Error(`more than ${space.builders} threads build one tree`);
    compiled ??= new host.Module(bytesOfText(BUILD_WASM));
    this.kernel = new host.Instance(compiled, { env: { memory } }).exports as BuildKernel;
    const bytes = 64 * Math.floor(SCRATCH.bytes / space.builders / 64);
    this.children = new Int32Array(memory.buffer, this.kernel.useScratch(SCRATCH.at + slot * bytes, bytes), 4 * CHILD_WORDS);
  }

  /** Writes the records of some triangles. */
  record({ from, to }: Range): void {
    const { tree, cornersAt, positionsAt } = this.space;
    this.kernel.record(positionsAt, cornersAt, tree.vertsAt, from, to);
  }

  /** Makes one node. @param child number of the node of its first child; those of the others follow @returns the children's ranges */
  part({ from, to }: Range, node: number, child: number): Range[] {
    const count = this.kernel.part(this.space.tree.vertsAt, NODES_AT, from, to, node, child);
    const at = (k: number): number => k * CHILD_WORDS + CHILD_RANGE;
    return Array.from({ length: count }, (_, k) => ({ from: this.children[at(k)], to: this.children[at(k) + 1] }));
  }

  /** Makes a node and all below it. @param next number of the first node that may be taken, of a third as many as there are triangles
   *  @returns whether it came to an end; the tree may be too deep for the scratch */
  build({ from, to }: Range, node: number, next: number): boolean {
    return this.kernel.build(this.space.tree.vertsAt, NODES_AT, from, to, node, next) >= 0;
  }
}

/** The triangle of each leaf slot, once all is built. Corners may be written afterwards. @param out uint32[T] */
export function orderInto(out: Uint32Array, { tree: { memory, vertsAt } }: BuildSpace): void {
  const numbers = new Uint32Array(memory.buffer, vertsAt, RECORD_WORDS * out.length);
  for (let i = 0; i < out.length; i++) out[i] = numbers[RECORD_WORDS * i + 3];
}
