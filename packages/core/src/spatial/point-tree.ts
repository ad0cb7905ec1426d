import type { Allocate } from '../runtime/threads';
import { ownMemory, placeF32 } from '../runtime/threads';

/** Points in a balanced tree whose nodes know the sums of two values below them, so that sums over a ball cost about its rim.
 *  Node k has the children 2 k + 1 and 2 k + 2; the leaves hold runs of `order`. */
export interface PointTree {
  readonly positions: Float32Array; // 3 P
  readonly first: Float64Array; // P
  readonly second: Float64Array; // P
  readonly order: Uint32Array; // P
  readonly boxes: Float32Array; // 6 N: min, max
  readonly sums: Float64Array; // 2 N
  readonly runs: Uint32Array; // 2 N: from, to in `order`
  readonly leafFrom: number;
}

const LEAF_POINTS = 8;

/** @param positions float32[3 P]. Copied. @param first, second values a point. Copied. */
export function buildPointTree(
  positions: Float32Array,
  first: Float64Array,
  second: Float64Array,
  allocate: Allocate = ownMemory,
): PointTree {
  const P = positions.length / 3;
  let depth = 0;
  while (P > LEAF_POINTS * 2 ** depth) depth++;
  const N = 2 ** (depth + 1) - 1;
  const order = new Uint32Array(allocate(4 * P));
  for (let i = 0; i < P; i++) order[i] = i;
  const boxes = new Float32Array(allocate(24 * N));
  const sums = new Float64Array(allocate(16 * N));
  const runs = new Uint32Array(allocate(8 * N));
  const leafFrom = 2 ** depth - 1;
  runs[1] = P;
  for (let node = 0; node < N; node++) {
    const from = runs[2 * node];
    const to = runs[2 * node + 1];
    for (let k = 0; k < 3; k++) {
      let lo = Infinity;
      let hi = -Infinity;
      for (let i = from; i < to; i++) {
        const x = positions[3 * order[i] + k];
        if (x < lo) lo = x;
        if (x > hi) hi = x;
      }
      boxes[6 * node + k] = lo;
      boxes[6 * node + 3 + k] = hi;
    }
    if (node >= leafFrom) {
      for (let i = from; i < to; i++) {
        sums[2 * node] += first[order[i]];
        sums[2 * node + 1] += second[order[i]];
      }
      continue;
    }
    const size = (k: number): number => boxes[6 * node + 3 + k] - boxes[6 * node + k];
    const axis = size(0) >= size(1) && size(0) >= size(2) ? 0 : size(1) >= size(2) ? 1 : 2;
    const middle = (from + to) >> 1;
    select(order, positions, axis, from, to, middle);
    const child = 2 * (2 * node + 1);
    runs[child] = from;
    runs[child + 1] = runs[child + 2] = middle;
    runs[child + 3] = to;
  }
  for (let node = leafFrom - 1; node >= 0; node--)
    for (let k = 0; k < 2; k++) sums[2 * node + k] = sums[2 * (2 * node + 1) + k] + sums[2 * (2 * node + 2) + k];
  const placed = (values: Float64Array): Float64Array => {
    const out = new Float64Array(allocate(values.byteLength));
    out.set(values);
    return out;
  };
  return { positions: placeF32(positions, allocate), first: placed(first), second: placed(second), order, boxes, sums, runs, leafFrom };
}

/** Moves the point of rank `middle` along an axis to its place, smaller ones before it (Hoare's selection). */
function select(order: Uint32Array, positions: Float32Array, axis: number, from: number, to: number, middle: number): void {
  let lo = from;
  let hi = to - 1;
  while (lo < hi) {
    const pivot = positions[3 * order[(lo + hi) >> 1] + axis];
    let i = lo;
    let j = hi;
    while (i <= j) {
      while (positions[3 * order[i] + axis] < pivot) i++;
      while (positions[3 * order[j] + axis] > pivot) j--;
      if (i <= j) {
        const swap = order[i];
        order[i++] = order[j];
        order[j--] = swap;
      }
    }
    if (middle <= j) hi = j;
    else if (middle >= i) lo = i;
    else return;
  }
}

/** Sums over balls. One object a thread: it holds its last answer. */
export class BallSums {
  first = 0;
  second = 0;
  private readonly stack = new Int32Array(64);

  constructor(private readonly tree: PointTree) {}

  /** Sums both values over the points within `radius` of a place. */
  at(x: number, y: number, z: number, radius: number): void {
    const { positions: p, first, second, order, boxes, sums, runs, leafFrom } = this.tree;
    const { stack } = this;
    const r2 = radius * radius;
    this.first = 0;
    this.second = 0;
    let depth = 1;
    stack[0] = 0;
    while (depth > 0) {
      const node = stack[--depth];
      const b = 6 * node;
      const lx = boxes[b] - x, ly = boxes[b + 1] - y, lz = boxes[b + 2] - z; // prettier-ignore
      const hx = boxes[b + 3] - x, hy = boxes[b + 4] - y, hz = boxes[b + 5] - z; // prettier-ignore
      const nx = lx > 0 ? lx : hx < 0 ? hx : 0, ny = ly > 0 ? ly : hy < 0 ? hy : 0, nz = lz > 0 ? lz : hz < 0 ? hz : 0; // prettier-ignore
      if (nx * nx + ny * ny + nz * nz > r2) continue;
      const fx = -lx > hx ? lx : hx, fy = -ly > hy ? ly : hy, fz = -lz > hz ? lz : hz; // prettier-ignore
      if (fx * fx + fy * fy + fz * fz <= r2) {
        this.first += sums[2 * node];
        this.second += sums[2 * node + 1];
      } else if (node >= leafFrom) {
        for (let i = runs[2 * node]; i < runs[2 * node + 1]; i++) {
          const v = order[i];
          const dx = p[3 * v] - x, dy = p[3 * v + 1] - y, dz = p[3 * v + 2] - z; // prettier-ignore
          if (dx * dx + dy * dy + dz * dz > r2) continue;
          this.first += first[v];
          this.second += second[v];
        }
      } else {
        stack[depth++] = 2 * node + 2;
        stack[depth++] = 2 * node + 1;
      }
    }
  }
}
