/** Cells of a raster, one bit each, rows from below. */
export interface BitGrid {
  readonly width: number;
  readonly height: number;
  readonly words: number; // a row
  readonly bits: Uint32Array; // height * words, cell x in bit x % 32 of word x / 32
}

export const bitGrid = (width: number, height: number): BitGrid => {
  const words = (width + 31) >>> 5;
  return { width, height, words, bits: new Uint32Array(words * height) };
};

export const isSet = ({ words, bits }: BitGrid, x: number, y: number): boolean => ((bits[y * words + (x >>> 5)] >>> (x & 31)) & 1) === 1;

export function setCell({ words, bits }: BitGrid, x: number, y: number): void {
  bits[y * words + (x >>> 5)] |= 1 << (x & 31);
}

/** Turned by a quarter, counter-clockwise. */
export function turned(grid: BitGrid): BitGrid {
  const out = bitGrid(grid.height, grid.width);
  for (let y = 0; y < grid.height; y++) for (let x = 0; x < grid.width; x++) if (isSet(grid, x, y)) setCell(out, grid.height - 1 - y, x);
  return out;
}

/** Marks every cell that a triangle touches, so that what lies between marked cells is truly free.
 *  @param p six coordinates in cells */
export function markTriangle(grid: BitGrid, p: readonly number[]): void {
  const y0 = Math.min(p[1], p[3], p[5]);
  const y1 = Math.max(p[1], p[3], p[5]);
  for (let y = Math.max(0, Math.floor(y0)); y <= Math.min(grid.height - 1, Math.floor(y1)); y++) {
    // the triangle's part between the row's two sides, from where its edges run there
    let lo = Infinity;
    let hi = -Infinity;
    for (let k = 0; k < 6; k += 2) {
      const ax = p[k];
      const ay = p[k + 1];
      const bx = p[(k + 2) % 6];
      const by = p[(k + 3) % 6];
      const from = Math.max(y, Math.min(ay, by));
      const to = Math.min(y + 1, Math.max(ay, by));
      if (from > to) continue;
      const x0 = ay === by ? ax : ax + ((bx - ax) * (from - ay)) / (by - ay);
      const x1 = ay === by ? bx : ax + ((bx - ax) * (to - ay)) / (by - ay);
      lo = Math.min(lo, x0, x1);
      hi = Math.max(hi, x0, x1);
    }
    for (let x = Math.max(0, Math.floor(lo)); x <= Math.min(grid.width - 1, Math.floor(hi)); x++) setCell(grid, x, y);
  }
}

/** Rows for columns. */
export function transposed(grid: BitGrid): BitGrid {
  const out = bitGrid(grid.height, grid.width);
  for (let y = 0; y < grid.height; y++) for (let x = 0; x < grid.width; x++) if (isSet(grid, x, y)) setCell(out, y, x);
  return out;
}

/** The first of the columns from `from` to `last` where a shape, its lowest row in row y, shares no cell with what is there; -1 where there is none.
 *  Where a run of its cells meets a run of taken ones, it cannot be free before its run has passed that one. */
export function firstFree(there: BitGrid, shape: BitGrid, y: number, from: number, last: number): number {
  let row = 0; // where it met something the last time: mostly it does so again
  for (let x = from, clear = 0; x <= last;) {
    const shared = sharedCell(there, shape, x, y, row);
    if (shared < 0) {
      if (++clear === shape.height) return x;
      if (++row === shape.height) row = 0;
      continue;
    }
    clear = 0;
    x = runEnd(there, y + row, shared) + 1 - runStart(shape, row, shared - x);
  }
  return -1;
}

/** A cell of a row of a shape at (x, y) that is taken; -1 where there is none. */
function sharedCell(there: BitGrid, shape: BitGrid, x: number, y: number, row: number): number {
  const [shift, word] = [x & 31, x >>> 5];
  const own = row * shape.words;
  const to = (y + row) * there.words + word;
  let carry = 0;
  for (let k = 0; k < shape.words; k++) {
    const bits = shape.bits[own + k];
    const shared = (carry | (bits << shift)) & there.bits[to + k];
    if (shared !== 0) return 32 * (word + k) + 31 - Math.clz32(shared);
    carry = shift === 0 ? 0 : bits >>> (32 - shift);
  }
  if (carry === 0 || word + shape.words >= there.words) return -1;
  const shared = carry & there.bits[to + shape.words];
  return shared === 0 ? -1 : 32 * (word + shape.words) + 31 - Math.clz32(shared);
}

/** The last cell of the run that a marked cell belongs to. */
function runEnd({ words, bits }: BitGrid, y: number, x: number): number {
  for (let w = x >>> 5, from = x & 31; w < words; w++, from = 0) {
    const open = (~bits[y * words + w] >>> from) << from;
    if (open !== 0) return 32 * w + 30 - Math.clz32(open & -open);
  }
  return 32 * words - 1;
}

/** The first cell of the run that a marked cell belongs to. */
function runStart({ words, bits }: BitGrid, y: number, x: number): number {
  for (let w = x >>> 5, beyond = 31 - (x & 31); w >= 0; w--, beyond = 0) {
    const open = (~bits[y * words + w] << beyond) >>> beyond;
    if (open !== 0) return 32 * w + 32 - Math.clz32(open);
  }
  return 0;
}

/** Marks a shape at (x, y), and `margin` cells around it. */
export function stamp(there: BitGrid, shape: BitGrid, x: number, y: number, margin: number): void {
  for (let row = 0; row < shape.height; row++)
    for (let column = 0; column < shape.width; column++) {
      if (!isSet(shape, column, row)) continue;
      // inner cells need no ring of their own
      const inner =
        column > 0 &&
        row > 0 &&
        column + 1 < shape.width &&
        row + 1 < shape.height &&
        isSet(shape, column - 1, row) &&
        isSet(shape, column + 1, row) &&
        isSet(shape, column, row - 1) &&
        isSet(shape, column, row + 1);
      const ring = inner ? 0 : margin;
      for (let v = Math.max(0, y + row - ring); v <= Math.min(there.height - 1, y + row + ring); v++)
        for (let u = Math.max(0, x + column - ring); u <= Math.min(there.width - 1, x + column + ring); u++) setCell(there, u, v);
    }
}
