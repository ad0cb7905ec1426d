import type { WasmMemory } from '../runtime/wasm';
import { bytesOfText, sharedPages, WASM_MAX_PAGES, WASM_PAGE, wasmHost } from '../runtime/wasm';
import { RAYS_WASM } from './rays-wasm';
import type { BinaryNodes } from './tree-node';
import { BOX_B, BOX_WORDS, isLeaf, NODE_WORDS, REF_A, REF_B } from './tree-node';

/** Children of a wide node, and its words: min x, y, z, max x, y, z of four children, then their refs. */
const WIDE = 4;
const WIDE_WORDS = 28;
/** Threads that can search one tree: more than machines have. */
const SLOTS = 1024;
const SLOT_BYTES = 4096;
/** The first word counts the slots that are taken; slots begin at the next page. */
const SLOTS_AT = 4096;
const NODES_AT = SLOTS_AT + SLOTS * SLOT_BYTES;

/** What `mode` says which hits count (kernels/rays.ts). */
export const RAY_MODES = { any: 0, along: 1, first: 2 } as const;
/** The functions of kernels/rays.ts. Lengths and places in scene units; addresses in bytes. */
export interface RayKernel {
  nearest(
    scratch: number, nodes: number, verts: number, largest: number, ox: number, oy: number, oz: number, dx: number, dy: number, dz: number,
    tNear: number, tMin: number, tMax: number, mode: number,
  ): number; // prettier-ignore
  closest(
    scratch: number, nodes: number, verts: number, largest: number, px: number, py: number, pz: number, max2: number, seed: number,
  ): number; // prettier-ignore
}

/** A tree with four children a node in memory of its own, which the kernels of every thread search in place. */
export interface WideTree {
  readonly memory: WasmMemory;
  readonly vertsAt: number;
}

/** Memory for a wide tree over T triangles, whose binary tree has so many nodes: room for no more nodes than those, and the corners. Null where a
 *  host has no shared WebAssembly memory or no SIMD, or the tree would not fit into 32 bit addresses: the plain code is used then.
 *  @param spare memory of a tree that nobody searches any more, taken where it is large enough */
export function wideMemory(T: number, binaryNodes: number, spare: WasmMemory | null): WideTree | null {
  const host = wasmHost();
  const vertsAt = NODES_AT + 4 * WIDE_WORDS * binaryNodes;
  const pages = Math.ceil((vertsAt + 36 * T) / WASM_PAGE);
  if (host === null || T === 0 || pages > WASM_MAX_PAGES) return null;
  try {
    compiled ??= new host.Module(bytesOfText(RAYS_WASM));
    return { memory: sharedPages(host, pages, spare), vertsAt };
  } catch {
    return null; // the host does not give that much
  }
}

/** Gathers each node's grandchildren, those with the largest boxes first, until it has four children (Wald, Benthin and Boulos 2008). */
export function widenInto({ memory, vertsAt }: WideTree, { nodes, refs }: BinaryNodes): void {
  const out = new Float32Array(memory.buffer, NODES_AT, (vertsAt - NODES_AT) / 4);
  const outRefs = new Int32Array(memory.buffer, NODES_AT, out.length);
  let used = 1;
  // binary node and the wide node that takes its place
  const stack = [0, 0];
  const boxes = new Uint32Array(WIDE); // offset of each child's box in `nodes`
  const children = new Int32Array(WIDE);
  while (stack.length > 0) {
    const wide = stack.pop() ?? 0;
    const node = stack.pop() ?? 0;
    let count = 0;
    for (const side of [0, 1] as const) {
      boxes[count] = NODE_WORDS * node + BOX_WORDS * side;
      children[count++] = refs[NODE_WORDS * node + REF_A + side];
    }
    while (count < WIDE) {
      let widest = -1;
      let area = -1;
      for (let k = 0; k < count; k++)
        if (!isLeaf(children[k]) && halfArea(nodes, boxes[k]) > area) {
          area = halfArea(nodes, boxes[k]);
          widest = k;
        }
      if (widest < 0) break;
      const o = NODE_WORDS * children[widest];
      boxes[widest] = o;
      children[widest] = refs[o + REF_A];
      boxes[count] = o + BOX_B;
      children[count++] = refs[o + REF_B];
    }
    const o = WIDE_WORDS * wide;
    for (let k = 0; k < WIDE; k++) {
      for (let axis = 0; axis < 3; axis++) {
        out[o + 4 * axis + k] = k < count ? nodes[boxes[k] + axis] : Infinity;
        out[o + 12 + 4 * axis + k] = k < count ? nodes[boxes[k] + 3 + axis] : -Infinity;
      }
      if (k < count && !isLeaf(children[k])) {
        outRefs[o + 24 + k] = used;
        stack.push(children[k], used++);
      } else outRefs[o + 24 + k] = k < count ? children[k] : 0;
    }
  }
}

/** One thread's way into a wide tree. */
export interface RaySearcher {
  readonly kernel: RayKernel;
  readonly scratch: number;
  readonly nodesAt: number;
  /** Of the last answer, as kernels write it: t, u, v, det of a ray; squared distance, x, y, z, u, v of a closest point. */
  readonly answer: Float64Array;
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
  return { kernel, scratch, nodesAt: NODES_AT, answer: new Float64Array(memory.buffer, scratch, 6) };
}

function halfArea(b: Float32Array, o: number): number {
  const x = b[o + 3] - b[o], y = b[o + 4] - b[o + 1], z = b[o + 5] - b[o + 2]; // prettier-ignore
  return x * y + y * z + z * x;
}
