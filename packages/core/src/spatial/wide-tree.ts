import type { WasmMemory } from '../runtime/wasm';
import { bytesOfText, sharedPages, WASM_MAX_PAGES, WASM_PAGE, wasmHost } from '../runtime/wasm';
import { RAYS_WASM } from './rays-wasm';

/** Children of a wide node, and its words: min x, y, z, max x, y, z of four children, then their refs as in a binary tree (tree-node.ts). */
export const WIDE = 4;
export const WIDE_WORDS = 28;
/** Threads that can search one tree: more than machines have. */
const SLOTS = 512;
const SLOT_BYTES = 32768;
/** The first word counts the slots that are taken; slots begin at the next page. */
const SLOTS_AT = 4096;
/** Lines that can be asked for together, as many as one texel may have samples, and where in a slot they, their answers and hits are, bytes (kernels/rays.ts). */
export const MOST_LINES = 256;
const LINES = 2304;
const ANSWERS = LINES + 64 * MOST_LINES;
const HITS = ANSWERS + 32 * MOST_LINES;
export const NODES_AT = SLOTS_AT + SLOTS * SLOT_BYTES;
/** What lies below the nodes; nobody searches while a tree is built. */
export const SCRATCH = { at: SLOTS_AT, bytes: SLOTS * SLOT_BYTES };

/** What `mode` says which hits count (kernels/rays.ts). */
export const RAY_MODES = { any: 0, along: 1, first: 2 } as const;
/** The functions of kernels/rays.ts. Lengths and places in scene units; addresses in bytes. */
export interface RayKernel {
  nearest(
    scratch: number, nodes: number, verts: number, largest: number, ox: number, oy: number, oz: number, dx: number, dy: number, dz: number,
    tNear: number, tMin: number, tMax: number, mode: number, beyond: number,
  ): number; // prettier-ignore
  nearestOfMany(
    scratch: number, nodes: number, verts: number, largest: number, count: number, reach: number, beyond: number, apart: number,
  ): void; // prettier-ignore
  closest(
    scratch: number, nodes: number, verts: number, largest: number, px: number, py: number, pz: number, max2: number, seed: number,
  ): number; // prettier-ignore
}

/** A tree with four children a node in memory of its own, which the kernels of every thread search in place. */
export interface WideTree {
  readonly memory: WasmMemory;
  readonly vertsAt: number;
}

/** Nodes with numbers of their own above the ranges that are built apart. */
export const TOPS = 1024;

/** Nodes over T triangles: each has four children, or else at least five triangles and no node below. */
export const mostNodes = (T: number): number => Math.ceil(T / 3);

/** Memory for a wide tree over T triangles, and where the mesh that it is built over may lie meanwhile. Null where a host has no shared WebAssembly
 *  memory or no SIMD, or the tree would not fit into 32 bit addresses: the plain code is used then.
 *  @param spare memory of a tree that nobody searches any more, taken where it is large enough */
export function wideMemory(
  T: number,
  meshBytes: number,
  spare: WasmMemory | null,
): { readonly tree: WideTree; readonly meshAt: number } | null {
  const host = wasmHost();
  const vertsAt = NODES_AT + 4 * WIDE_WORDS * (TOPS + mostNodes(T));
  const end = vertsAt + 36 * T;
  // points that no triangle has may take more than the nodes
  const meshAt = NODES_AT + meshBytes <= vertsAt ? NODES_AT : 16 * Math.ceil(end / 16);
  const pages = Math.ceil(Math.max(end, meshAt + meshBytes) / WASM_PAGE);
  if (host === null || T === 0 || pages > WASM_MAX_PAGES) return null;
  try {
    compiled ??= new host.Module(bytesOfText(RAYS_WASM));
    return { tree: { memory: sharedPages(host, pages, spare), vertsAt }, meshAt };
  } catch {
    return null; // the host does not give that much
  }
}

/** Corner positions in leaf order: float32[9 T], in the tree's memory. */
export const vertsOf = ({ memory, vertsAt }: WideTree, T: number): Float32Array => new Float32Array(memory.buffer, vertsAt, 9 * T);

/** Largest coordinate of the box of everything. */
export function largestCoordinate({ memory }: WideTree): number {
  let largest = 0;
  for (const x of new Float32Array(memory.buffer, NODES_AT, WIDE * 6)) if (Number.isFinite(x)) largest = Math.max(largest, Math.abs(x));
  return largest;
}

/** One thread's way into a wide tree. */
export interface RaySearcher {
  readonly kernel: RayKernel;
  readonly scratch: number;
  readonly nodesAt: number;
  /** Of the last answer, as kernels write it: t, u, v, det of a ray; squared distance, x, y, z, u, v of a closest point. */
  readonly answer: Float64Array;
  readonly many: LineArrays;
}

/** Lines asked for together, and what was found. */
export interface LineArrays {
  readonly lines: Float64Array; // 8 MOST_LINES: origin, direction, wanted t, unused
  readonly answers: Float64Array; // 4 MOST_LINES: t, u, v, cosine
  readonly hits: Int32Array; // 2 MOST_LINES: slot, rival; as kernels/rays.ts writes them
}

// a thread runs one search at a time, so all queries of a thread on one tree share a slot; compiled code belongs to the host, not to us
const searchers = new WeakMap<WasmMemory, RaySearcher>();
let compiled: object | null = null;

/** The searcher of this thread, made at the first call. @throws Error when more threads search the tree than it has slots for */
export function searcherOf({ memory }: WideTree): RaySearcher {
  const known = searchers.get(memory);
  if (known !== undefined) return known;
  const made = makeSearcher(memory);
  searchers.set(memory, made);
  return made;
}

function makeSearcher(memory: WasmMemory): RaySearcher {
  const host = wasmHost();
  if (host === null) throw new Error('a tree for kernels is searched where there are none');
  const slot = Atomics.add(new Int32Array(memory.buffer, 0, 1), 0, 1);
  if (slot >= SLOTS) throw new Error(`more than ${SLOTS} threads search one tree`);
  compiled ??= new host.Module(bytesOfText(RAYS_WASM));
  const kernel = new host.Instance(compiled, { env: { memory } }).exports as RayKernel;
  const scratch = SLOTS_AT + slot * SLOT_BYTES;
  return {
    kernel,
    scratch,
    nodesAt: NODES_AT,
    answer: new Float64Array(memory.buffer, scratch, 6),
    many: {
      lines: new Float64Array(memory.buffer, scratch + LINES, 8 * MOST_LINES),
      answers: new Float64Array(memory.buffer, scratch + ANSWERS, 4 * MOST_LINES),
      hits: new Int32Array(memory.buffer, scratch + HITS, 2 * MOST_LINES),
    },
  };
}
