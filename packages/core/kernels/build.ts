// Builds the wide tree of src/spatial/wide-tree.ts, in AssemblyScript for WebAssembly SIMD; built by `npm run kernels` into
// src/spatial/build-wasm.ts. The reference is the plain code of src/spatial/bvh.ts, whose nodes a test gathers four by four: middles and boxes are
// held in single precision, bins and areas are found in double precision by its own formulas in its own order, so that both give the same tree, word
// by word.
//
// Triangles move as records of 32 bytes (min x, y, z, number; max x, y, z, unused), so that every pass reads memory from front to back; while they
// move, the range of their middles on either side is found for the next split. Only bins that hold something are swept and emptied: most nodes are
// small. A node is made of up to three splits, of the largest box each time (Wald, Benthin and Boulos 2008), so no binary nodes are ever stored.
//
// Minima and maxima take the second only where it is beyond the first, as the plain code does, which of two zeros included.
//
// Several threads work in one memory, each on ranges of the records that nobody else has and with scratch of its own.

const BINS: u32 = 16;
const RECORD: usize = 32;
/** Min x, y, z and max x, y, z of four children, then their refs. */
const NODE: usize = 112;
const REFS: usize = 96;
/** A range of records that will be a child: its box, its first, one behind its last, the node that is made of it; then the lowest and the highest of
 *  the records' middles, doubled (float32 x, y, z, one that means nothing), found while they were moved there. */
const CHILD: usize = 80;
const FIRST: usize = 32;
const END: usize = 36;
const NODE_OF: usize = 40;
const LOW: usize = 48;
const HIGH: usize = 64;
/** A thread's scratch: bins (boxes, then counts), areas of what lies to the right of each bin, children, then the stack. */
const BIN_BOX: usize = 0;
const BIN_COUNT: usize = BIN_BOX + 16 * 32;
const RIGHT: usize = BIN_COUNT + 16 * 4;
const CHILDREN: usize = RIGHT + 16 * 8;
const STACK: usize = CHILDREN + 4 * CHILD;
const MAX_LEAF: i32 = 4;
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
  empty((1 << BINS) - 1);
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
  const count = split4(records, whole(records, first, end, node));
  const at = writeBoxes(nodes, node, count);
  for (let k: usize = 0; k < count; k++) store<i32>(at + 4 * k, isLeaf(k) ? leafOf(k) : child + <i32>k);
  return <i32>count;
}

/** Builds what hangs below a node over a range of records, which are moved into leaf order.
 *  @param next number of the first node that may be taken, of a third as many as there are records  @returns the one behind the last; -1 where the
 *  stack does not reach */
export function build(records: usize, nodes: usize, first: i32, end: i32, node: i32, next: i32): i32 {
  let top = whole(records, first, end, node) + CHILD;
  while (top > stack) {
    top -= CHILD;
    if (top + 4 * CHILD > stackEnd) return -1;
    const count = split4(records, top);
    const at = writeBoxes(nodes, load<i32>(top, NODE_OF), count);
    for (let k: usize = 0; k < count; k++) {
      const leaf = isLeaf(k);
      store<i32>(at + 4 * k, leaf ? leafOf(k) : next);
      if (leaf) continue;
      memory.copy(top, children + CHILD * k, CHILD);
      store<i32>(top, next++, NODE_OF);
      top += CHILD;
    }
  }
  return next;
}

/** A range of records and a node as the first entry of the stack. @returns where it is */
function whole(records: usize, first: i32, end: i32, node: i32): usize {
  store<i32>(stack, first, FIRST);
  store<i32>(stack, end, END);
  store<i32>(stack, node, NODE_OF);
  measure(records, stack);
  return stack;
}

/** Splits a range, then of its parts again and again the one with the largest box, until there are four or none can be split.
 *  @param range like a child  @returns how many children there are */
function split4(records: usize, range: usize): usize {
  if (load<i32>(range, END) - load<i32>(range, FIRST) <= MAX_LEAF) {
    memory.copy(children, range, CHILD);
    return 1;
  }
  split(records, range, children, children + CHILD);
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
    split(records, c, c, children + CHILD * count++);
  }
  return count;
}

function isLeaf(k: usize): bool {
  const c = children + CHILD * k;
  return load<i32>(c, END) - load<i32>(c, FIRST) <= MAX_LEAF;
}

function leafOf(k: usize): i32 {
  const c = children + CHILD * k;
  return leafRef(load<i32>(c, FIRST), load<i32>(c, END) - load<i32>(c, FIRST));
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

/** Box and middles of a range of records. */
function measure(records: usize, range: usize): void {
  let boxLo = highest;
  let boxHi = lowest;
  let low = highest;
  let high = lowest;
  const end = records + RECORD * <usize>load<i32>(range, END);
  for (let r = records + RECORD * <usize>load<i32>(range, FIRST); r < end; r += RECORD) {
    const lo = v128.load(r);
    const hi = v128.load(r, 16);
    boxLo = f32x4.pmin(boxLo, lo);
    boxHi = f32x4.pmax(boxHi, hi);
    const middle = f32x4.add(lo, hi);
    low = f32x4.pmin(low, middle);
    high = f32x4.pmax(high, middle);
  }
  keep(range, boxLo, boxHi, low, high);
}

function keep(range: usize, lo: v128, hi: v128, low: v128, high: v128): void {
  v128.store(range, lo);
  v128.store(range, hi, 16);
  v128.store(range, low, LOW);
  v128.store(range, high, HIGH);
}

function setRange(range: usize, first: i32, end: i32): void {
  store<i32>(range, first, FIRST);
  store<i32>(range, end, END);
}

/** Parts records in place along the axis on which their middles lie widest; neither side is empty. @param from range that is parted
 *  @param left where its left side comes, may be `from`  @param right where its right side comes */
function split(records: usize, from: usize, left: usize, right: usize): void {
  const first = load<i32>(from, FIRST);
  const end = load<i32>(from, END);
  let axis: usize = 0;
  let width = widthOf(from, 0);
  for (let k: usize = 1; k < 3; k++) {
    const other = widthOf(from, k);
    if (!(other > width)) continue;
    width = other;
    axis = k;
  }
  if (width > 0 && partAlong(records, first, end, axis, <f64>load<f32>(from + 4 * axis, LOW), (16.0 * 0.999999) / width, left, right))
    return;
  // all middles in one place
  const mid = (first + end) >> 1;
  setRange(left, first, mid);
  setRange(right, mid, end);
  measure(records, left);
  measure(records, right);
}

function widthOf(range: usize, axis: usize): f64 {
  return <f64>load<f32>(range + 4 * axis, HIGH) - <f64>load<f32>(range + 4 * axis, LOW);
}

/** @param low of the middles on the axis  @param scale bins a length  @returns false where a side would be empty */
function partAlong(records: usize, first: i32, end: i32, axis: usize, low: f64, scale: f64, left: usize, right: usize): bool {
  const from = records + RECORD * <usize>first;
  const to = records + RECORD * <usize>end;
  let filled: u32 = 0;
  for (let r = from; r < to; r += RECORD) filled = grow(filled, binOf(r, axis, low, scale), v128.load(r), v128.load(r, 16));
  sweep(filled);
  let leftLow = highest;
  let leftHigh = lowest;
  let rightLow = highest;
  let rightHigh = lowest;
  let a = from;
  let b = to - RECORD;
  while (a <= b) {
    const lo = v128.load(a);
    const hi = v128.load(a, 16);
    const middle = f32x4.add(lo, hi);
    if (binOf(a, axis, low, scale) <= bestBin) {
      leftLow = f32x4.pmin(leftLow, middle);
      leftHigh = f32x4.pmax(leftHigh, middle);
      a += RECORD;
    } else {
      rightLow = f32x4.pmin(rightLow, middle);
      rightHigh = f32x4.pmax(rightHigh, middle);
      v128.store(a, v128.load(b));
      v128.store(a, v128.load(b, 16), 16);
      v128.store(b, lo);
      v128.store(b, hi, 16);
      b -= RECORD;
    }
  }
  const mid = <i32>((a - records) / RECORD);
  sides(filled);
  empty(filled);
  if (mid == first || mid == end) return false;
  setRange(left, first, mid);
  setRange(right, mid, end);
  keep(left, splitLo, splitHi, leftLow, leftHigh);
  keep(right, rightLo, rightHi, rightLow, rightHigh);
  return true;
}

/** Bin of a record's middle. */
function binOf(r: usize, axis: usize, low: f64, scale: f64): i32 {
  const at = r + 4 * axis;
  return <i32>((<f64>(load<f32>(at) + load<f32>(at, 16)) - low) * scale);
}

/** Adds a record to a bin. @returns the bins that hold something, with this one */
function grow(filled: u32, bin: i32, lo: v128, hi: v128): u32 {
  const box = bins + 32 * <usize>bin;
  const count = counts + 4 * <usize>bin;
  v128.store(box, f32x4.pmin(v128.load(box), lo));
  v128.store(box, f32x4.pmax(v128.load(box, 16), hi), 16);
  store<u32>(count, load<u32>(count) + 1);
  return filled | (1 << bin);
}

/** Makes bins ready for the next range. */
function empty(filled: u32): void {
  for (let rest = filled; rest; rest &= rest - 1) {
    const bin = <usize>ctz(rest);
    v128.store(bins + 32 * bin, highest);
    v128.store(bins + 32 * bin, lowest, 16);
    store<u32>(counts + 4 * bin, 0);
  }
}

let bestBin: i32 = 0;

/** Looks for the cheapest split between bins; the last bin that holds something where there is none. Between bins that hold nothing the cost is that of
 *  the last one that does. */
function sweep(filled: u32): void {
  let bestCost: f64 = Infinity;
  let lo = highest;
  let hi = lowest;
  let count: u32 = 0;
  // costs of the right sides, by the first bin that they hold
  for (let rest = filled; rest;) {
    const bin = 31 - clz(rest);
    rest ^= 1 << bin;
    const box = bins + 32 * <usize>bin;
    lo = f32x4.pmin(lo, v128.load(box));
    hi = f32x4.pmax(hi, v128.load(box, 16));
    count += load<u32>(counts + 4 * <usize>bin);
    store<f64>(areas + 8 * <usize>bin, halfArea(lo, hi) * <f64>count);
  }
  lo = highest;
  hi = lowest;
  count = 0;
  bestBin = BINS - 1;
  for (let rest = filled; rest;) {
    const bin = ctz(rest);
    rest ^= 1 << bin;
    if (rest == 0) break;
    const box = bins + 32 * <usize>bin;
    lo = f32x4.pmin(lo, v128.load(box));
    hi = f32x4.pmax(hi, v128.load(box, 16));
    count += load<u32>(counts + 4 * <usize>bin);
    const cost = halfArea(lo, hi) * <f64>count + load<f64>(areas + 8 * <usize>ctz(rest));
    if (cost < bestCost) {
      bestCost = cost;
      bestBin = bin;
    }
  }
}

// boxes of both sides of the last split
let splitLo = highest;
let splitHi = lowest;
let rightLo = highest;
let rightHi = lowest;

/** Finds them from the bins. */
function sides(filled: u32): void {
  splitLo = rightLo = highest;
  splitHi = rightHi = lowest;
  for (let rest = filled; rest;) {
    const bin = ctz(rest);
    rest ^= 1 << bin;
    const box = bins + 32 * <usize>bin;
    if (<i32>bin <= bestBin) {
      splitLo = f32x4.pmin(splitLo, v128.load(box));
      splitHi = f32x4.pmax(splitHi, v128.load(box, 16));
    } else {
      rightLo = f32x4.pmin(rightLo, v128.load(box));
      rightHi = f32x4.pmax(rightHi, v128.load(box, 16));
    }
  }
}
