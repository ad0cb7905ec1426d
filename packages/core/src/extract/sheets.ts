import type { Allocate } from '../runtime/threads';
import type { BandPieces } from './pieces';
import { piecesOfTile } from './pieces';

/** A ray meets several layers of a sculpt that folds over itself, and neighbouring texels may take their answers from different ones. Patches
 *  that stand off from what surrounds them are *sheets* if the sculpt has another answer there that joins the surroundings; a wall that is
 *  merely steep has none. */

/** A new answer is taken if it lies at most this share of the old one's distance from what the surroundings say. */
const NEARER = 0.5;
/** Share of a patch's texels that must find such an answer. */
const AGREED = 0.5;

/** Patches of texels whose heights do not join those around them: each is smaller than the piece that it stands off from. */
export interface Patches {
  readonly count: number;
  /** Texels of all patches, ascending: uint32[S], of which those of band b are from `offsets[b]` up to `offsets[b + 1]`. */
  readonly texels: Uint32Array;
  readonly offsets: readonly number[];
  /** Of each of those: its patch, and the height that was measured. */
  readonly patchOf: Int32Array; // S
  readonly heights: Float32Array; // S
  /** Height that the surroundings of a texel's patch suggest, float32[W H]; NaN outside patches. */
  readonly wanted: Float32Array;
}

/** Null where nothing stands off. Linear in texels; of a whole tile it makes the wanted heights alone.
 *  @param bands pieces of the tile's bands, from the first row to the last, of so many rows each but the last */
export function findPatches(bands: readonly BandPieces[], allocate: Allocate): Patches | null {
  const { first, starts, sizes, larger } = piecesOfTile(bands);
  let standing = 0;
  for (let a = 0; a < larger.length; a++) if (larger[a] >= 0) standing += sizes[a];
  if (standing === 0) return null;
  const size = bands[0].pieceOf.length;
  const W = bands[0].top.length;
  const all = size * (bands.length - 1) + bands[bands.length - 1].pieceOf.length;
  /** Piece of the tile that a texel belongs to, or -1. */
  const pieceAt = (i: number): number => {
    const b = Math.floor(i / size);
    const piece = bands[b].pieceOf[i - b * size];
    return piece < 0 ? -1 : first[starts[b] + piece];
  };
  const heightAt = (i: number): number => bands[Math.floor(i / size)].heights[i % size];
  const around = neighboursIn(W, all);
  const texels = new Uint32Array(standing);
  const patchOf = new Int32Array(standing);
  const heights = new Float32Array(standing);
  const offsets: number[] = [];
  const queue = new Uint32Array(standing);
  const wanted = new Float32Array(allocate(4 * all)).fill(NaN);
  const numbers = new Int32Array(first.length).fill(-1);
  let count = 0;
  let found = 0;
  let tail = 0;
  const enter = (i: number, a: number): void => {
    if (numbers[a] < 0) numbers[a] = count++;
    texels[found] = i;
    patchOf[found] = numbers[a];
    heights[found++] = heightAt(i);
    around(i, (j) => {
      if (Number.isNaN(wanted[i]) && pieceAt(j) === larger[a]) {
        wanted[i] = heightAt(j);
        queue[tail++] = i;
      }
    });
  };
  for (const [b, { pieceOf, sizes: own }] of bands.entries()) {
    offsets.push(found);
    if (!own.some((_, p) => larger[first[starts[b] + p]] >= 0)) continue;
    for (let i = 0; i < pieceOf.length; i++) {
      if (pieceOf[i] < 0) continue;
      const a = first[starts[b] + pieceOf[i]];
      if (larger[a] >= 0) enter(b * size + i, a);
    }
  }
  offsets.push(found);
  // from the rim of a patch inwards
  for (let head = 0; head < tail; head++) {
    const i = queue[head];
    const a = pieceAt(i);
    around(i, (j) => {
      if (Number.isNaN(wanted[j]) && pieceAt(j) === a) {
        wanted[j] = wanted[i];
        queue[tail++] = j;
      }
    });
  }
  return { count, texels, offsets, patchOf, heights, wanted };
}

/** Calls `visit` with the up to four texels beside and above and below one. */
const neighboursIn =
  (W: number, texels: number) =>
  (i: number, visit: (j: number) => void): void => {
    const x = i % W;
    if (x > 0) visit(i - 1);
    if (x + 1 < W) visit(i + 1);
    if (i >= W) visit(i - W);
    if (i + W < texels) visit(i + W);
  };

/** Which patches are sheets, given the heights that were found nearest to the wanted ones.
 *  @param found float32[S], of the patches' texels; NaN where nothing was found
 *  @returns how many are, and a flag for each of those texels that takes the new answer */
export function sheetsAmong(
  { count, texels, patchOf, heights, wanted }: Patches,
  found: Float32Array,
): { readonly sheets: number; readonly takes: Uint8Array } {
  const sizes = new Uint32Array(count);
  const better = new Uint32Array(count);
  const takes = new Uint8Array(texels.length);
  for (let k = 0; k < texels.length; k++) {
    const hoped = wanted[texels[k]];
    sizes[patchOf[k]]++;
    if (Math.abs(found[k] - hoped) <= NEARER * Math.abs(heights[k] - hoped)) {
      better[patchOf[k]]++;
      takes[k] = 1;
    }
  }
  const isSheet = (p: number): boolean => better[p] >= AGREED * sizes[p];
  let sheets = 0;
  for (let p = 0; p < count; p++) if (isSheet(p)) sheets++;
  for (let k = 0; k < takes.length; k++) if (takes[k] === 1 && !isSheet(patchOf[k])) takes[k] = 0;
  return { sheets, takes };
}

/** Above this share of mended texels, rays along the normal are guessing more than they measure. */
const TOO_FOLDED = 0.01;

/** What to say of a free sculpt's sheets; null when there are none.
 *  @param covered texels with a value */
export function adviseOnSheets(sheets: number, mended: number, covered: number): string | null {
  if (sheets === 0) return null;
  const share = mended / Math.max(1, covered);
  const said = `${sheets} ${sheets === 1 ? 'patch was' : 'patches were'} answered by another layer of the sculpt than what surrounds ${sheets === 1 ? 'it' : 'them'}; ${mended} texels (${Number((100 * share).toPrecision(2))} %) took the layer that joins their neighbours`;
  return share > TOO_FOLDED
    ? `${said}. That is much: the sculpt folds over itself, and rays can only guess there. Transfer it onto the light mesh's own levels and measure those.`
    : `${said}.`;
}
