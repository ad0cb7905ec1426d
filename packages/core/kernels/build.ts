// Builds the binary tree of src/spatial/bvh.ts, in AssemblyScript for WebAssembly SIMD; built by `npm run kernels` into
// src/spatial/build-wasm.ts. The reference is the plain code there: places and areas are compared in double precision by its own formulas in its
// own order, boxes grow in single precision as they are stored, so that both give the same tree, word by word.
//
// Triangles move as records of 32 bytes (min x, y, z, number; max x, y, z, unused), so that every pass reads memory from front to back. Boxes of
// bins are written where a bin is met first, and only bins that hold something are swept: most nodes are small.
//
// Several threads work in one memory, each on ranges of the records that nobody else has and with scratch of its own.

const BINS: u32 = 16;
const RECORD: usize = 32;
const NODE: usize = 64;
/** A thread's scratch: bins of three axes (boxes, then counts), areas of what lies to the right of each bin, then the stack. */
const BIN_BOX: usize = 0;
const BIN_COUNT: usize = BIN_BOX + 3 * 16 * 32;
const RIGHT: usize = BIN_COUNT + 3 * 16 * 4;
const STACK: usize = RIGHT + 16 * 8;
const SCRATCH: usize = 1 << 20;
const MAX_LEAF: i32 = 2;
const LEAF: i32 = 1 << 31;

const lowest = f32x4.splat(f32.NEGATIVE_INFINITY);
const highest = f32x4.splat(f32.POSITIVE_INFINITY);

function leafRef(first: i32, count: i32): i32 {
  return LEAF | ((count - 1) << 27) | first;
}

/** Half of a box's surface. The fourth lanes mean nothing. */
function halfArea(lo: v128, hi: v128): f64 {
  const x = <f64>f32x4.extract_lane(hi, 0) - <f64>f32x4.extract_lane(lo, 0);
  const y = <f64>f32x4.extract_lane(hi, 1) - <f64>f32x4.extract_lane(lo, 1);
  const z = <f64>f32x4.extract_lane(hi, 2) - <f64>f32x4.extract_lane(lo, 2);
  return x * y + y * z + z * x;
}

function binScale(lo: f64, hi: f64): f64 {
  const width = hi - lo;
  return width > 0 ? (16.0 * 0.999999) / width : 0;
}

// this thread's
let bins: usize = BIN_BOX;
let counts: usize = BIN_COUNT;
let areas: usize = RIGHT;
let stack: usize = STACK;
let stackEnd: usize = SCRATCH;

/** Says where this thread's scratch is, once. */
export function useScratch(scratch: usize): void {
  bins = scratch + BIN_BOX;
  counts = scratch + BIN_COUNT;
  areas = scratch + RIGHT;
  stack = scratch + STACK;
  stackEnd = scratch + SCRATCH;
}

/** Box and number of each triangle; of equal numbers the one that the plain code takes.
 *  @param positions float32[3] each, with a word more behind the last  @param corners uint32[3 T]  @param records room for T of them
 *  @param first of the triangles  @param end behind the last of them */
export function record(positions: usize, corners: usize, records: usize, first: i32, end: i32): void {
  corners += 12 * <usize>first;
  records += RECORD * <usize>first;
  for (let t = first; t < end; t++) {
    const a = v128.load(positions + 12 * <usize>load<u32>(corners));
    const b = v128.load(positions + 12 * <usize>load<u32>(corners, 4));
    const c = v128.load(positions + 12 * <usize>load<u32>(corners, 8));
    v128.store(records, f32x4.pmin(c, f32x4.pmin(b, a)));
    v128.store(records, f32x4.pmax(c, f32x4.pmax(b, a)), 16);
    store<i32>(records, t, 12);
    corners += 12;
    records += RECORD;
  }
}

/** Parts a range of more records than a leaf holds, and writes its node.
 *  @param left number of the left child's node, where that is no leaf  @returns the first record of the right child */
export function part(records: usize, nodes: usize, first: i32, end: i32, node: i32, left: i32, right: i32): i32 {
  const mid = split(records, first, end);
  writeNode(nodes + NODE * <usize>node, first, mid, end, left, right);
  return mid;
}

/** Builds what hangs below a node, over a range of more records than a leaf holds; they are moved into leaf order.
 *  @param next number of the first node that may be taken, one less than there are records  @returns the one behind the last; -1 where the
 *  stack does not reach */
export function build(records: usize, nodes: usize, first: i32, end: i32, node: i32, next: i32): i32 {
  let top = push(stack, node, first, end);
  while (top > stack) {
    top -= 12;
    if (top + 24 > stackEnd) return -1;
    const at = nodes + NODE * <usize>load<i32>(top);
    first = load<i32>(top, 4);
    end = load<i32>(top, 8);
    const mid = split(records, first, end);
    // the right child is numbered first, the left one worked on first
    const right = next;
    if (end - mid > MAX_LEAF) top = push(top, next++, mid, end);
    const left = next;
    if (mid - first > MAX_LEAF) top = push(top, next++, first, mid);
    writeNode(at, first, mid, end, left, right);
  }
  return next;
}

function push(top: usize, node: i32, first: i32, end: i32): usize {
  store<i32>(top, node);
  store<i32>(top, first, 4);
  store<i32>(top, end, 8);
  return top + 12;
}

/** A node of the last split. */
function writeNode(at: usize, first: i32, mid: i32, end: i32, left: i32, right: i32): void {
  writeBox(at, splitLo, splitHi);
  writeBox(at + 24, rightLo, rightHi);
  store<i32>(at, mid - first > MAX_LEAF ? left : leafRef(first, mid - first), 48);
  store<i32>(at, end - mid > MAX_LEAF ? right : leafRef(mid, end - mid), 52);
  store<i64>(at, 0, 56);
}

// boxes of both sides of the last split
let splitLo = highest;
let splitHi = lowest;
let rightLo = highest;
let rightHi = lowest;

/** Puts the box of some records into `splitLo` and `splitHi`. */
function boxOf(records: usize, first: i32, end: i32): void {
  let lo = highest;
  let hi = lowest;
  for (let i = first; i < end; i++) {
    const r = records + RECORD * <usize>i;
    lo = f32x4.min(lo, v128.load(r));
    hi = f32x4.max(hi, v128.load(r, 16));
  }
  splitLo = lo;
  splitHi = hi;
}

function writeBox(box: usize, lo: v128, hi: v128): void {
  store<f32>(box, f32x4.extract_lane(lo, 0));
  store<f32>(box, f32x4.extract_lane(lo, 1), 4);
  store<f32>(box, f32x4.extract_lane(lo, 2), 8);
  store<f32>(box, f32x4.extract_lane(hi, 0), 12);
  store<f32>(box, f32x4.extract_lane(hi, 1), 16);
  store<f32>(box, f32x4.extract_lane(hi, 2), 20);
}

/** Parts records in place, and leaves the boxes of both sides behind. @returns the first of the right side; neither is empty */
function split(records: usize, first: i32, end: i32): i32 {
  // range of the middles, doubled: sums of two singles are exact in double precision
  let lowXy = f64x2.splat(Infinity);
  let highXy = f64x2.splat(-Infinity);
  let lowZ = Infinity;
  let highZ = -Infinity;
  for (let i = first; i < end; i++) {
    const r = records + RECORD * <usize>i;
    const lo = v128.load(r);
    const hi = v128.load(r, 16);
    const xy = f64x2.add(f64x2.promote_low_f32x4(lo), f64x2.promote_low_f32x4(hi));
    const z = <f64>f32x4.extract_lane(lo, 2) + <f64>f32x4.extract_lane(hi, 2);
    lowXy = f64x2.pmin(lowXy, xy);
    highXy = f64x2.pmax(highXy, xy);
    if (z < lowZ) lowZ = z;
    if (z > highZ) highZ = z;
  }
  const low0 = f64x2.extract_lane(lowXy, 0);
  const low1 = f64x2.extract_lane(lowXy, 1);
  const high0 = f64x2.extract_lane(highXy, 0);
  const high1 = f64x2.extract_lane(highXy, 1);
  const scale0 = binScale(low0, high0);
  const scale1 = binScale(low1, high1);
  const scaleZ = binScale(lowZ, highZ);
  const scaleXy = f64x2.replace_lane(f64x2.splat(scale0), 1, scale1);
  let in0: u32 = 0;
  let in1: u32 = 0;
  let in2: u32 = 0;
  for (let i = first; i < end; i++) {
    const r = records + RECORD * <usize>i;
    const lo = v128.load(r);
    const hi = v128.load(r, 16);
    const xy = f64x2.mul(f64x2.sub(f64x2.add(f64x2.promote_low_f32x4(lo), f64x2.promote_low_f32x4(hi)), lowXy), scaleXy);
    const bins = i32x4.trunc_sat_f64x2_s_zero(xy);
    const z = (<f64>f32x4.extract_lane(lo, 2) + <f64>f32x4.extract_lane(hi, 2) - lowZ) * scaleZ;
    in0 = grow(in0, 0, i32x4.extract_lane(bins, 0), lo, hi);
    in1 = grow(in1, BINS, i32x4.extract_lane(bins, 1), lo, hi);
    in2 = grow(in2, 2 * BINS, <i32>z, lo, hi);
  }
  bestCost = Infinity;
  bestAxis = -1;
  if (high0 > low0) sweep(0, in0);
  if (high1 > low1) sweep(1, in1);
  if (highZ > lowZ) sweep(2, in2);
  if (bestAxis >= 0) {
    const scale = bestAxis == 0 ? scale0 : bestAxis == 1 ? scale1 : scaleZ;
    const low = bestAxis == 0 ? low0 : bestAxis == 1 ? low1 : lowZ;
    const axis = 4 * <usize>bestAxis;
    let a = records + RECORD * <usize>first;
    let b = records + RECORD * <usize>(end - 1);
    let i = first;
    let j = end - 1;
    while (i <= j) {
      const c = <f64>load<f32>(a + axis) + <f64>load<f32>(a + axis, 16);
      if (<i32>((c - low) * scale) <= bestBin) {
        i++;
        a += RECORD;
      } else {
        const lo = v128.load(a);
        const hi = v128.load(a, 16);
        v128.store(a, v128.load(b));
        v128.store(a, v128.load(b, 16), 16);
        v128.store(b, lo);
        v128.store(b, hi, 16);
        j--;
        b -= RECORD;
      }
    }
    if (i != first && i != end) {
      sides();
      return i;
    }
  }
  // all middles in one place
  const mid = (first + end) >> 1;
  boxOf(records, mid, end);
  rightLo = splitLo;
  rightHi = splitHi;
  boxOf(records, first, mid);
  return mid;
}

/** Adds a record to a bin. @returns the bins that hold something, with this one */
function grow(filled: u32, axisBins: u32, bin: i32, lo: v128, hi: v128): u32 {
  const b = axisBins + <u32>bin;
  const box = bins + 32 * <usize>b;
  const count = counts + 4 * <usize>b;
  const bit: u32 = 1 << bin;
  if (filled & bit) {
    v128.store(box, f32x4.min(v128.load(box), lo));
    v128.store(box, f32x4.max(v128.load(box, 16), hi), 16);
    store<u32>(count, load<u32>(count) + 1);
  } else {
    v128.store(box, lo);
    v128.store(box, hi, 16);
    store<u32>(count, 1);
  }
  return filled | bit;
}

let bestCost: f64 = Infinity;
let bestAxis: i32 = -1;
let bestBin: i32 = 0;
let bestFilled: u32 = 0;

/** Looks for a cheaper split between the bins of an axis. Between bins that hold nothing the cost is that of the last one that does. */
function sweep(axis: i32, filled: u32): void {
  const boxes = bins + 32 * 16 * <usize>axis;
  const held = counts + 4 * 16 * <usize>axis;
  let lo = highest;
  let hi = lowest;
  let count: u32 = 0;
  // costs of the right sides, by the first bin that they hold
  for (let rest = filled; rest;) {
    const bin = 31 - clz(rest);
    rest ^= 1 << bin;
    const box = boxes + 32 * <usize>bin;
    lo = f32x4.min(lo, v128.load(box));
    hi = f32x4.max(hi, v128.load(box, 16));
    count += load<u32>(held + 4 * <usize>bin);
    store<f64>(areas + 8 * <usize>bin, halfArea(lo, hi) * <f64>count);
  }
  lo = highest;
  hi = lowest;
  count = 0;
  for (let rest = filled; rest;) {
    const bin = ctz(rest);
    rest ^= 1 << bin;
    if (rest == 0) break;
    const box = boxes + 32 * <usize>bin;
    lo = f32x4.min(lo, v128.load(box));
    hi = f32x4.max(hi, v128.load(box, 16));
    count += load<u32>(held + 4 * <usize>bin);
    const cost = halfArea(lo, hi) * <f64>count + load<f64>(areas + 8 * <usize>ctz(rest));
    if (cost < bestCost) {
      bestCost = cost;
      bestAxis = axis;
      bestBin = bin;
      bestFilled = filled;
    }
  }
}

/** The boxes of both sides of the best split, from its bins. */
function sides(): void {
  const boxes = bins + 32 * 16 * <usize>bestAxis;
  splitLo = rightLo = highest;
  splitHi = rightHi = lowest;
  for (let rest = bestFilled; rest;) {
    const bin = ctz(rest);
    rest ^= 1 << bin;
    const box = boxes + 32 * <usize>bin;
    if (<i32>bin <= bestBin) {
      splitLo = f32x4.min(splitLo, v128.load(box));
      splitHi = f32x4.max(splitHi, v128.load(box, 16));
    } else {
      rightLo = f32x4.min(rightLo, v128.load(box));
      rightHi = f32x4.max(rightHi, v128.load(box, 16));
    }
  }
}
