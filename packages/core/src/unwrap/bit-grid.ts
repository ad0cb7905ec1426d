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

/** Whether a shape at (x, y) would share a cell with what is there. */
export function collides(there: BitGrid, shape: BitGrid, x: number, y: number): boolean {
  const [shift, word] = [x & 31, x >>> 5];
  for (let row = 0; row < shape.height; row++) {
    const from = row * shape.words;
    const to = (y + row) * there.words + word;
    let carry = 0;
    for (let k = 0; k < shape.words; k++) {
      const bits = shape.bits[from + k];
      if (((carry | (bits << shift)) & there.bits[to + k]) !== 0) return true;
      carry = shift === 0 ? 0 : bits >>> (32 - shift);
    }
    if (carry !== 0 && word + shape.words < there.words && (carry & there.bits[to + shape.words]) !== 0) return true;
  }
  return false;
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
