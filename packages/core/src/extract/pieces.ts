/** Pieces of a tile: texels whose heights join each other. Bands are looked at by whoever measures them, and put together where they meet. */

import { UnionFind } from '../runtime/union-find';

/** Rise over run, about 76 degrees, above which two neighbouring answers are not one surface. */
const STEEP = 4;

/** Heights of some rows. */
export interface HeightRows {
  readonly width: number;
  /** Height of each texel, float32[W rows], scene units; NaN where there is none. */
  readonly heights: Float32Array;
  /** Length on the surface that one texel spans, float32[W rows], scene units. */
  readonly texelSizes: Float32Array;
}

/** Pieces of the rows of a band, numbered by their first texels. */
export interface BandPieces {
  readonly heights: Float32Array;
  /** Piece of each texel, int32[W rows]; -1 where there is no height. */
  readonly pieceOf: Int32Array;
  /** Texels of each piece. */
  readonly sizes: Uint32Array;
  /** Pairs of pieces that touch without joining, uint32[2 pairs]. */
  readonly touching: Uint32Array;
  /** Lengths that texels of the first and the last row span, float32[W] each. */
  readonly top: Float32Array;
  readonly bottom: Float32Array;
}

/** Finds the pieces of some rows. Labels of neighbours are merged row by row (Rosenfeld and Pfaltz 1966), so that memory is read from front to
 *  back. Linear in texels. */
export function piecesOfRows(rows: HeightRows): BandPieces {
  const { width: W, heights, texelSizes } = rows;
  const texels = heights.length;
  // a texel of the same piece; then the piece
  const pieceOf = new Int32Array(texels).fill(-1);
  const sets = new UnionFind(texels);
  for (let from = 0; from < texels; from += W) joinRow(rows, pieceOf, sets, from);
  const numbers = new Int32Array(texels).fill(-1);
  const sizes: number[] = [];
  for (let from = 0; from < texels; from += W) numberRow(pieceOf, sets, numbers, sizes, from, from + W);
  const touching = new PiecePairs(sizes.length);
  if (sizes.length > 1) for (let from = 0; from < texels; from += W) touchInRow(pieceOf, touching, from, W);
  return {
    heights,
    pieceOf,
    sizes: Uint32Array.from(sizes),
    touching: touching.pairs(),
    top: texelSizes.slice(0, W),
    bottom: texelSizes.slice(texels - W),
  };
}

/** Pieces of a whole tile. */
export interface TilePieces {
  /** Of all bands, one after another: the first piece of the tile that each one belongs to. */
  readonly first: Uint32Array;
  /** Where the pieces of each band begin among those. */
  readonly starts: readonly number[];
  /** Texels of each first piece; 0 of the others. */
  readonly sizes: Uint32Array;
  /** The largest piece that each first piece touches and is smaller than, of equal ones the one that begins first; -1 where there is none. */
  readonly larger: Int32Array;
}

/** Joins the pieces of bands where these meet. @param bands from the first row to the last */
export function piecesOfTile(bands: readonly BandPieces[]): TilePieces {
  const starts: number[] = [];
  let count = 0;
  for (const { sizes } of bands) {
    starts.push(count);
    count += sizes.length;
  }
  const sets = new UnionFind(count);
  const touching = new PiecePairs(count);
  for (let b = 1; b < bands.length; b++) joinBands(bands[b - 1], bands[b], starts[b - 1], starts[b], sets, touching);
  const first = new Uint32Array(count);
  const sizes = new Uint32Array(count);
  for (const [b, band] of bands.entries())
    for (let p = 0; p < band.sizes.length; p++) {
      const own = starts[b] + p;
      sizes[(first[own] = sets.root(own))] += band.sizes[p];
    }
  const larger = new Int32Array(count).fill(-1);
  const look = (one: number, other: number): void => {
    const [a, b] = sizes[one] < sizes[other] ? [one, other] : [other, one];
    const best = larger[a];
    if (sizes[a] === sizes[b] || (best >= 0 && (sizes[best] > sizes[b] || (sizes[best] === sizes[b] && best < b)))) return;
    larger[a] = b;
  };
  const lookAt = (pairs: Uint32Array, start: number): void => {
    for (let i = 0; i < pairs.length; i += 2) look(first[start + pairs[i]], first[start + pairs[i + 1]]);
  };
  for (const [b, band] of bands.entries()) lookAt(band.touching, starts[b]);
  lookAt(touching.pairs(), 0);
  return { first, starts, sizes, larger };
}

/** Pairs of numbers below a count, each kept once whichever way round it comes. */
class PiecePairs {
  private readonly keys = new Set<number>();
  private last = -1;

  constructor(private readonly count: number) {}

  add(a: number, b: number): void {
    const key = a < b ? a * this.count + b : b * this.count + a;
    // along a rim the same two meet again and again
    if (key === this.last) return;
    this.last = key;
    this.keys.add(key);
  }

  pairs(): Uint32Array {
    const out = new Uint32Array(2 * this.keys.size);
    let at = 0;
    for (const key of this.keys) {
      out[at++] = Math.floor(key / this.count);
      out[at++] = key % this.count;
    }
    return out;
  }
}

/** Joins the pieces of two bands, numbered from `p0` and `q0` on, or notes which of them touch. */
function joinBands(above: BandPieces, below: BandPieces, p0: number, q0: number, sets: UnionFind, touching: PiecePairs): void {
  const W = below.top.length;
  const lastRow = above.pieceOf.length - W;
  for (let x = 0; x < W; x++) {
    const p = above.pieceOf[lastRow + x];
    const q = below.pieceOf[x];
    if (p < 0 || q < 0) continue;
    const rise = Math.abs(above.heights[lastRow + x] - below.heights[x]);
    if (isFlat(rise, above.bottom[x], below.top[x])) sets.join(p0 + p, q0 + q);
    else touching.add(p0 + p, q0 + q);
  }
}

/** Joins the texels of a row with those before them and above. */
function joinRow(rows: HeightRows, pieceOf: Int32Array, sets: UnionFind, from: number): void {
  const { width: W, heights } = rows;
  for (let i = from; i < from + W; i++) {
    if (Number.isNaN(heights[i])) continue;
    pieceOf[i] = i > from && isJoined(rows, i, i - 1) ? pieceOf[i - 1] : i;
    // mostly the two are of one piece already, and say so
    if (from === 0 || pieceOf[i] === pieceOf[i - W] || !isJoined(rows, i, i - W)) continue;
    sets.join(pieceOf[i], pieceOf[i - W]);
    pieceOf[i] = pieceOf[i - W];
  }
}

/** Whether two texels are one surface; not where one of them has no height. */
const isJoined = ({ heights, texelSizes }: HeightRows, i: number, j: number): boolean =>
  isFlat(Math.abs(heights[i] - heights[j]), texelSizes[i], texelSizes[j]);

/** Whether a rise is no steeper than one surface may be by one of the lengths that the two texels span. */
const isFlat = (rise: number, one: number, other: number): boolean => rise <= STEEP * one || rise <= STEEP * other;

/** Puts the number of its piece in the place of each texel's other one. @param numbers of the pieces' first texels */
function numberRow(pieceOf: Int32Array, sets: UnionFind, numbers: Int32Array, sizes: number[], from: number, to: number): void {
  for (let i = from; i < to; i++) {
    if (pieceOf[i] < 0) continue;
    const first = sets.root(pieceOf[i]);
    if (numbers[first] < 0) numbers[first] = sizes.push(0) - 1;
    pieceOf[i] = numbers[first];
    sizes[pieceOf[i]]++;
  }
}

/** Notes which pieces touch each other in a row and across its upper side. */
function touchInRow(pieceOf: Int32Array, touching: PiecePairs, from: number, W: number): void {
  for (let i = from; i < from + W; i++) {
    const a = pieceOf[i];
    if (a < 0) continue;
    const before = i > from ? pieceOf[i - 1] : -1;
    if (before >= 0 && before !== a) touching.add(before, a);
    const above = from > 0 ? pieceOf[i - W] : -1;
    if (above >= 0 && above !== a) touching.add(above, a);
  }
}
