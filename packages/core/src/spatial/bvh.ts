import type { Allocate, Range } from '../runtime/threads';
import { ownMemory, placeU32 } from '../runtime/threads';
import type { WasmMemory } from '../runtime/wasm';
import type { BuildSpace } from './build-kernel';
import { buildSpace, orderInto, TreeBuilder } from './build-kernel';
import type { BinaryNodes } from './tree-node';
import { BOX_WORDS, leafRef, MAX_TRIANGLES, NODE_WORDS, REF_A, REF_B } from './tree-node';
import type { WideTree } from './wide-tree';
import { largestCoordinate, vertsOf } from './wide-tree';

/** A bounding volume hierarchy over triangles: with the wide nodes that kernels search, or where they were not asked for or the host cannot have
 *  them, with the binary ones of the plain code. Typed arrays only, so threads can share it. */
export interface Bvh {
  readonly verts: Float32Array; // 9 T: corner positions in leaf order
  readonly triangles: Uint32Array; // T: caller's triangle of each leaf slot
  /** Largest coordinate of its box. */
  readonly largest: number;
  readonly binary: BinaryNodes | null;
  readonly wide: WideTree | null;
}

/** The nodes that the plain code searches. */
export function binaryOf({ binary }: Bvh): BinaryNodes {
  if (binary === null) throw new Error('a tree for kernels is searched by plain code');
  return binary;
}

/** How far rounding in double precision may move a box's face, scene units: far above it, far below a triangle. */
export const boxSlack = ({ largest }: Pick<Bvh, 'largest'>): number => Math.max(1e-12 * largest, 1e-25);
export const MAX_LEAF = 4;
const BINS = 16;

/** Builds a tree that is searched often: for the kernels, where the host can have them.
 *  @param spare memory of a tree that nobody searches any more
 *  @throws RangeError as `buildBvh` does */
export function buildRayBvh(
  positions: Float32Array,
  corners: Uint32Array,
  allocate: Allocate = ownMemory,
  spare: WasmMemory | null = null,
): Bvh {
  const T = corners.length / 3;
  requireFewEnough(T);
  const space = buildSpace(positions, corners, 1, spare);
  if (space === null || !builtWhole(space)) return buildBvh(positions, corners, allocate);
  const triangles = new Uint32Array(allocate(4 * T));
  orderInto(triangles, space);
  const verts = vertsOf(space.tree, T);
  gatherCorners(verts, positions, corners, triangles);
  return { verts, triangles, largest: largestCoordinate(space.tree), binary: null, wide: space.tree };
}

function builtWhole(space: BuildSpace): boolean {
  const all = { from: 0, to: space.triangles };
  const builder = new TreeBuilder(space);
  builder.record(all);
  return builder.build(all, 0, 1);
}

/** @throws RangeError for more triangles than leaves can name */
export function requireFewEnough(T: number): void {
  if (T >= MAX_TRIANGLES) throw new RangeError(`${T} triangles; at most ${MAX_TRIANGLES - 1}`);
}

/** Builds by binned surface area heuristic (Wald 2007), top down, on the middles of boxes, along the axis on which they lie widest.
 *  @param positions float32[3 P], finite. Borrowed.
 *  @param corners uint32[3 T]
 *  @throws RangeError over 2^27 triangles */
export function buildBvh(positions: Float32Array, corners: Uint32Array, allocate: Allocate = ownMemory): Bvh {
  requireFewEnough(corners.length / 3);
  const { nodes: made, used, order } = buildPlain(positions, corners);
  const nodes = new Float32Array(allocate(4 * NODE_WORDS * used));
  nodes.set(made.subarray(0, NODE_WORDS * used));
  const verts = new Float32Array(allocate(12 * corners.length));
  gatherCorners(verts, positions, corners, order);
  let largest = 0;
  for (let k = 0; k < 2 * BOX_WORDS; k++) if (Number.isFinite(nodes[k])) largest = Math.max(largest, Math.abs(nodes[k]));
  return { verts, triangles: placeU32(order, allocate), largest, binary: { nodes, refs: new Int32Array(nodes.buffer) }, wide: null };
}

/** Corner positions in leaf order, of some leaf slots. @param verts float32[9 T] */
export function gatherCorners(
  verts: Float32Array,
  positions: Float32Array,
  corners: Uint32Array,
  order: Uint32Array,
  { from, to }: Range = { from: 0, to: order.length },
): void {
  for (let i = from; i < to; i++) {
    const o = 9 * i;
    const t = 3 * order[i];
    const a = 3 * corners[t];
    const b = 3 * corners[t + 1];
    const c = 3 * corners[t + 2];
    verts[o] = positions[a];
    verts[o + 1] = positions[a + 1];
    verts[o + 2] = positions[a + 2];
    verts[o + 3] = positions[b];
    verts[o + 4] = positions[b + 1];
    verts[o + 5] = positions[b + 2];
    verts[o + 6] = positions[c];
    verts[o + 7] = positions[c + 1];
    verts[o + 8] = positions[c + 2];
  }
}

/** A binary tree before it is stored. */
interface BuiltNodes {
  readonly used: number;
  readonly nodes: Float32Array; // 16 used, and room
  readonly order: Uint32Array; // T: triangle of each leaf slot
}

/** What hosts without kernels take, and the reference for the kernel. */
export function buildPlain(positions: Float32Array, corners: Uint32Array): BuiltNodes {
  const T = corners.length / 3;
  const boxes = new Float32Array(6 * T);
  for (let t = 0; t < T; t++) {
    const a = 3 * corners[3 * t];
    const b = 3 * corners[3 * t + 1];
    const c = 3 * corners[3 * t + 2];
    for (let k = 0; k < 3; k++) {
      const x = positions[a + k];
      const y = positions[b + k];
      const z = positions[c + k];
      boxes[6 * t + k] = x < y ? (x < z ? x : z) : y < z ? y : z;
      boxes[6 * t + 3 + k] = x > y ? (x > z ? x : z) : y > z ? y : z;
    }
  }
  const order = new Uint32Array(T);
  for (let i = 0; i < T; i++) order[i] = i;
  const nodes = new Float32Array(NODE_WORDS * Math.max(1, T));
  const used = new Builder(boxes, order, nodes, new Int32Array(nodes.buffer)).build(T);
  return { nodes, used, order };
}

class Builder {
  private next = 1;
  private readonly binCount = new Uint32Array(BINS);
  private readonly binBox = new Float64Array(6 * BINS);
  private readonly rightArea = new Float64Array(BINS);
  private readonly range = new Float64Array(6);
  private readonly box = new Float64Array(6);

  constructor(
    private readonly boxes: Float32Array,
    private readonly order: Uint32Array,
    private readonly nodes: Float32Array,
    private readonly refs: Int32Array,
  ) {}

  build(T: number): number {
    const { nodes, refs } = this;
    nodes.fill(Infinity, 0, 3).fill(-Infinity, 3, 6).fill(Infinity, 6, 9).fill(-Infinity, 9, 12);
    refs[REF_A] = refs[REF_B] = leafRef(0, 1);
    if (T === 0) return 1;
    if (T <= MAX_LEAF) {
      this.writeChild(0, 0, 0, T);
      return 1;
    }
    const stack: number[] = [0, 0, T]; // node, first, end
    while (stack.length > 0) {
      const end = stack.pop() ?? 0;
      const first = stack.pop() ?? 0;
      const node = stack.pop() ?? 0;
      const mid = this.split(first, end);
      const right = this.writeChild(node, 1, mid, end);
      if (right >= 0) stack.push(right, mid, end);
      const left = this.writeChild(node, 0, first, mid);
      if (left >= 0) stack.push(left, first, mid);
    }
    return this.next;
  }

  /** Writes box and ref of one child; returns its node index when it still has to be split, -1 for a leaf. */
  private writeChild(node: number, side: 0 | 1, first: number, end: number): number {
    const { nodes, refs, boxes, order } = this;
    const o = NODE_WORDS * node + BOX_WORDS * side;
    nodes.fill(Infinity, o, o + 3).fill(-Infinity, o + 3, o + 6);
    for (let i = first; i < end; i++) {
      const b = 6 * order[i];
      for (let k = 0; k < 3; k++) {
        if (boxes[b + k] < nodes[o + k]) nodes[o + k] = boxes[b + k];
        if (boxes[b + 3 + k] > nodes[o + 3 + k]) nodes[o + 3 + k] = boxes[b + 3 + k];
      }
    }
    const r = NODE_WORDS * node + REF_A + side;
    if (end - first <= MAX_LEAF) {
      refs[r] = leafRef(first, end - first);
      return -1;
    }
    const child = this.next++;
    refs[r] = child;
    return child;
  }

  /** Partitions order[first, end) in place along the axis on which the middles of boxes lie widest; returns the first index of the right part, both
   *  parts non-empty. */
  private split(first: number, end: number): number {
    const { order, range, binCount, binBox } = this;
    range.fill(Infinity, 0, 3).fill(-Infinity, 3, 6);
    for (let i = first; i < end; i++)
      for (let k = 0; k < 3; k++) {
        const c = this.middle(order[i], k);
        if (c < range[k]) range[k] = c;
        if (c > range[k + 3]) range[k + 3] = c;
      }
    const width = (k: number): number => range[k + 3] - range[k];
    const axis = [1, 2].reduce((widest, k) => (width(k) > width(widest) ? k : widest), 0);
    if (!(width(axis) > 0)) return (first + end) >> 1; // all middles in one place
    const scale = (BINS * 0.999999) / width(axis);
    const binOf = (t: number): number => ((this.middle(t, axis) - range[axis]) * scale) | 0;
    binCount.fill(0);
    for (let i = 0; i < binBox.length; i += 6) binBox.fill(Infinity, i, i + 3).fill(-Infinity, i + 3, i + 6);
    for (let i = first; i < end; i++) {
      const bin = binOf(order[i]);
      binCount[bin]++;
      growBox(binBox, 6 * bin, this.boxes, 6 * order[i]);
    }
    const best = this.bestSplit();
    let i = first;
    let j = end - 1;
    while (i <= j) {
      if (binOf(order[i]) <= best) i++;
      else {
        const t = order[i];
        order[i] = order[j];
        order[j--] = t;
      }
    }
    return i === first || i === end ? (first + end) >> 1 : i;
  }

  /** Of a triangle's box, doubled, in single precision. */
  private middle(t: number, axis: number): number {
    return Math.fround(this.boxes[6 * t + axis] + this.boxes[6 * t + 3 + axis]);
  }

  /** The last bin of the left side of the cheapest split. */
  private bestSplit(): number {
    const { binCount, binBox, box, rightArea } = this;
    box.fill(Infinity, 0, 3).fill(-Infinity, 3, 6);
    let count = 0;
    for (let i = BINS - 1; i > 0; i--) {
      growBox(box, 0, binBox, 6 * i);
      count += binCount[i];
      rightArea[i] = count === 0 ? Infinity : halfArea(box) * count;
    }
    box.fill(Infinity, 0, 3).fill(-Infinity, 3, 6);
    let bestCost = Infinity;
    let best = BINS - 1;
    count = 0;
    for (let i = 0; i + 1 < BINS; i++) {
      growBox(box, 0, binBox, 6 * i);
      count += binCount[i];
      if (count === 0) continue;
      const cost = halfArea(box) * count + rightArea[i + 1];
      if (!(cost < bestCost)) continue;
      bestCost = cost;
      best = i;
    }
    return best;
  }
}

function growBox(box: Float64Array, at: number, from: Float32Array | Float64Array, o: number): void {
  for (let k = 0; k < 3; k++) {
    if (from[o + k] < box[at + k]) box[at + k] = from[o + k];
    if (from[o + 3 + k] > box[at + 3 + k]) box[at + 3 + k] = from[o + 3 + k];
  }
}

const halfArea = (b: Float64Array): number => {
  const x = b[3] - b[0];
  const y = b[4] - b[1];
  const z = b[5] - b[2];
  return x * y + y * z + z * x;
};
