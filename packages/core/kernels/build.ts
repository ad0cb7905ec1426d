// Builds the wide tree of src/spatial/wide-tree.ts, in AssemblyScript for WebAssembly SIMD; built by `npm run kernels` into
// src/spatial/build-wasm.ts. The reference is the plain code of src/spatial/bvh.ts, whose nodes a test gathers four by four: places and areas are
// compared in double precision by its own formulas in its own order, boxes grow in single precision as they are stored, so that both give the same
// tree, word by word.
//
// Triangles move as records of 32 bytes (min x, y, z, number; max x, y, z, unused), so that every pass reads memory from front to back. Boxes of
// bins are written where a bin is met first, and only bins that hold something are swept: most nodes are small. A node is made of up to three
// splits, of the largest box each time (Wald, Benthin and Boulos 2008), so no binary nodes are ever stored.
//
// Several threads work in one memory, each on ranges of the records that nobody else has and with scratch of its own.

const BINS: u32 = 16;
const RECORD: usize = 32;
/** Min x, y, z and max x, y, z of four children, then their refs. */
const NODE: usize = 112;
const REFS: usize = 96;
/** A child in the making: its box, the first of its records, and one behind the last. */
const CHILD: usize = 48;
/** A thread's scratch: bins of three axes (boxes, then counts), areas of what lies to the right of each bin, children, then the stack. */
const BIN_BOX: usize = 0;
const BIN_COUNT: usize = BIN_BOX + 3 * 16 * 32;
const RIGHT: usize = BIN_COUNT + 3 * 16 * 4;
const CHILDREN: usize = RIGHT + 16 * 8;
const STACK: usize = CHILDREN + 4 * CHILD;
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
let children: usize = CHILDREN;
let stack: usize = STACK;
let stackEnd: usize = STACK;

/** Says where this thread's scratch is, and how many bytes. @returns where `part` leaves its children */
export function useScratch(scratch: usize, bytes: usize): usize {
  bins = scratch + BIN_BOX;
  counts = scratch + BIN_COUNT;
  areas = scratch + RIGHT;
  children = scratch + CHILDREN;
  stack = scratch + STACK;
  stackEnd = scratch + bytes;
  return children;
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

/** Makes one node over a range of records, which are moved into its children.
 *  @param child number of the node that its first child has, where that is no leaf; those of the others follow
 *  @returns how many children it has; their ranges are in the scratch */
export function part(records: usize, nodes: usize, first: i32, end: i32, node: i32, child: i32): i32 {
  const count = split4(records, first, end);
  const at = writeBoxes(nodes, node, count);
  for (let k: usize = 0; k < count; k++) store<i32>(at + 4 * k, isLeaf(k) ? leafOf(k) : child + <i32>k);
  return <i32>count;
}

/** Builds what hangs below a node over a range of records, which are moved into leaf order.
 *  @param next number of the first node that may be taken, of half as many as there are records  @returns the one behind the last; -1 where the
 *  stack does not reach */
export function build(records: usize, nodes: usize, first: i32, end: i32, node: i32, next: i32): i32 {
  let top = push(stack, node, first, end);
  while (top > stack) {
    top -= 12;
    if (top + 48 > stackEnd) return -1;
    const own = load<i32>(top);
    const count = split4(records, load<i32>(top, 4), load<i32>(top, 8));
    const at = writeBoxes(nodes, own, count);
    for (let k: usize = 0; k < count; k++) {
      const c = children + CHILD * k;
      store<i32>(at + 4 * k, isLeaf(k) ? leafOf(k) : next);
      if (!isLeaf(k)) top = push(top, next++, load<i32>(c, 32), load<i32>(c, 36));
    }
  }
  return next;
}

function push(top: usize, node: i32, first: i32, end: i32): usize {
  store<i32>(top, node);
  store<i32>(top, first, 4);
  store<i32>(top, end, 8);
  return top + 12;
}

/** Splits a range, then of its parts again and again the one with the largest box, until there are four or none can be split.
 *  @returns how many children there are */
function split4(records: usize, first: i32, end: i32): usize {
  if (end - first <= MAX_LEAF) {
    boxOf(records, first, end);
    keep(0, splitLo, splitHi, first, end);
    return 1;
  }
  halve(records, first, end, 0, 1);
  let count: usize = 2;
  while (count < 4) {
    let widest: usize = 4;
    let area: f64 = -1;
    for (let k: usize = 0; k < count; k++) {
      if (isLeaf(k)) continue;
      const own = halfArea(v128.load(children + CHILD * k), v128.load(children + CHILD * k, 16));
      if (own > area) {
        area = own;
        widest = k;
      }
    }
    if (widest == 4) break;
    const c = children + CHILD * widest;
    halve(records, load<i32>(c, 32), load<i32>(c, 36), widest, count++);
  }
  return count;
}

function halve(records: usize, first: i32, end: i32, left: usize, right: usize): void {
  const mid = split(records, first, end);
  keep(left, splitLo, splitHi, first, mid);
  keep(right, rightLo, rightHi, mid, end);
}

function keep(k: usize, lo: v128, hi: v128, first: i32, end: i32): void {
  const c = children + CHILD * k;
  v128.store(c, lo);
  v128.store(c, hi, 16);
  store<i32>(c, first, 32);
  store<i32>(c, end, 36);
}

function isLeaf(k: usize): bool {
  const c = children + CHILD * k;
  return load<i32>(c, 36) - load<i32>(c, 32) <= MAX_LEAF;
}

function leafOf(k: usize): i32 {
  const c = children + CHILD * k;
  return leafRef(load<i32>(c, 32), load<i32>(c, 36) - load<i32>(c, 32));
}

/** Boxes of a node's children; those that it has not are empty. @returns where its refs are, which are zero */
function writeBoxes(nodes: usize, node: i32, count: usize): usize {
  const at = nodes + NODE * <usize>node;
  for (let k: usize = 0; k < 4; k++) {
    const c = children + CHILD * k;
    const lo = k < count ? v128.load(c) : highest;
    const hi = k < count ? v128.load(c, 16) : lowest;
    const o = at + 4 * k;
    store<f32>(o, f32x4.extract_lane(lo, 0));
    store<f32>(o, f32x4.extract_lane(lo, 1), 16);
    store<f32>(o, f32x4.extract_lane(lo, 2), 32);
    store<f32>(o, f32x4.extract_lane(hi, 0), 48);
    store<f32>(o, f32x4.extract_lane(hi, 1), 64);
    store<f32>(o, f32x4.extract_lane(hi, 2), 80);
  }
  v128.store(at, i32x4.splat(0), REFS);
  return at + REFS;
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
