/** A ray meets several layers of a sculpt that folds over itself, and neighbouring texels may take their answers from different ones. Patches
 *  that stand off from what surrounds them are *sheets* if the sculpt has another answer there that joins the surroundings; a wall that is
 *  merely steep has none. */

/** Rise over run, about 76 degrees, above which two neighbouring answers are not one surface. */
const STEEP = 4;
/** A new answer is taken if it lies at most this share of the old one's distance from what the surroundings say. */
const NEARER = 0.5;
/** Share of a patch's texels that must find such an answer. */
const AGREED = 0.5;

export interface Patches {
  /** Patch of each texel, int32[W H]; -1 where nothing stands off. */
  readonly patchOf: Int32Array;
  readonly count: number;
  /** Height that the surroundings of a texel's patch suggest, float32[W H]; NaN outside patches. */
  readonly wanted: Float32Array;
}

interface Raster {
  readonly width: number;
  readonly height: number;
  /** Height of each texel, float32[W H], scene units; NaN where there is none. */
  readonly heights: Float32Array;
  /** Length on the surface that one texel spans, float32[W H], scene units. */
  readonly texelSizes: Float32Array;
}

/** Patches of texels whose heights do not join those around them: each is smaller than the piece that it stands off from. Linear in texels.
 *  Null where nothing stands off. */
export function findPatches(raster: Raster): Patches | null {
  const { width: W, height: H, heights } = raster;
  const { piece, sizes } = piecesOf(raster);
  if (sizes.length < 2) return null;
  const around = neighboursIn(W, H);
  // the largest piece that each one stands off from
  const off = new Int32Array(sizes.length).fill(-1);
  for (let y = 0; y < H; y++) seeOthers(piece, sizes, off, around, y * W, W);
  if (off.every((other) => other < 0)) return null;
  const queue = new Uint32Array(W * H);
  const wanted = new Float32Array(W * H).fill(NaN);
  const patchOf = new Int32Array(W * H).fill(-1);
  const numbers = new Int32Array(sizes.length).fill(-1);
  let count = 0;
  let tail = 0;
  for (let i = 0; i < piece.length; i++) {
    const a = piece[i];
    if (a < 0 || off[a] < 0) continue;
    if (numbers[a] < 0) numbers[a] = count++;
    patchOf[i] = numbers[a];
    around(i, (j) => {
      if (Number.isNaN(wanted[i]) && piece[j] === off[a]) {
        wanted[i] = heights[j];
        queue[tail++] = i;
      }
    });
  }
  // from the rim of a patch inwards
  for (let head = 0; head < tail; head++) {
    const i = queue[head];
    around(i, (j) => {
      if (patchOf[j] === patchOf[i] && Number.isNaN(wanted[j])) {
        wanted[j] = wanted[i];
        queue[tail++] = j;
      }
    });
  }
  return { patchOf, count, wanted };
}

/** Calls `visit` with the up to four texels beside and above and below one. */
type Around = (i: number, visit: (j: number) => void) => void;

const neighboursIn =
  (W: number, H: number): Around =>
  (i, visit) => {
    const x = i % W;
    if (x > 0) visit(i - 1);
    if (x + 1 < W) visit(i + 1);
    if (i >= W) visit(i - W);
    if (i + W < W * H) visit(i + W);
  };

/** Looks at the pieces beside those of W texels of a row, the first at `from`, for larger ones. @param off the largest of them by piece */
function seeOthers(piece: Int32Array, sizes: readonly number[], off: Int32Array, around: Around, from: number, W: number): void {
  const isOutermost = from === 0 || from + W === piece.length;
  for (let i = from; i < from + W; i++) {
    const a = piece[i];
    if (a < 0) continue;
    // most texels have only their own piece around them; beside the first and the last column one too many is looked at
    if (!isOutermost && piece[i - 1] === a && piece[i + 1] === a && piece[i - W] === a && piece[i + W] === a) continue;
    around(i, (j) => {
      const b = piece[j];
      if (b >= 0 && b !== a && sizes[b] > sizes[a] && (off[a] < 0 || sizes[b] > sizes[off[a]])) off[a] = b;
    });
  }
}

/** Pieces of texels that join each other, numbered by their first texels: -1 where there is no height; and how many texels each has. Labels of
 *  neighbours are merged row by row (Rosenfeld and Pfaltz 1966), so that memory is read from front to back. */
function piecesOf(raster: Raster): { readonly piece: Int32Array; readonly sizes: readonly number[] } {
  // an earlier texel of the same piece, or itself
  const earlier = new Int32Array(raster.heights.length).fill(-1);
  for (let y = 0; y < raster.height; y++) joinRow(raster, earlier, y);
  const sizes: number[] = [];
  for (let y = 0; y < raster.height; y++) numberRow(earlier, sizes, y * raster.width, (y + 1) * raster.width);
  return { piece: earlier, sizes };
}

/** Joins the texels of a row with those before them and above. */
function joinRow({ width: W, heights, texelSizes }: Raster, earlier: Int32Array, y: number): void {
  for (let x = 0, i = y * W; x < W; x++, i++) {
    if (Number.isNaN(heights[i])) continue;
    earlier[i] = x > 0 && isJoined(heights, texelSizes, i, i - 1) ? earlier[i - 1] : i;
    // mostly the two are of one piece already, and say so
    if (y === 0 || earlier[i] === earlier[i - W] || !isJoined(heights, texelSizes, i, i - W)) continue;
    const a = firstOf(earlier, i);
    const b = firstOf(earlier, i - W);
    if (a < b) earlier[b] = a;
    else earlier[a] = b;
  }
}

/** Whether two texels are one surface; not where one of them has no height. */
function isJoined(heights: Float32Array, texelSizes: Float32Array, i: number, j: number): boolean {
  const rise = Math.abs(heights[i] - heights[j]);
  return rise <= STEEP * texelSizes[i] || rise <= STEEP * texelSizes[j];
}

function firstOf(earlier: Int32Array, i: number): number {
  let at = i;
  while (earlier[at] !== at) at = earlier[at] = earlier[earlier[at]];
  return at;
}

/** Puts the number of a piece in the place of the earlier texel, which has its own already. */
function numberRow(earlier: Int32Array, sizes: number[], from: number, to: number): void {
  for (let i = from; i < to; i++) {
    if (earlier[i] < 0) continue;
    const number = earlier[i] === i ? sizes.push(0) - 1 : earlier[earlier[i]];
    earlier[i] = number;
    sizes[number]++;
  }
}

/** Which patches are sheets, given the heights that were found nearest to the wanted ones.
 *  @param found float32[W H]; NaN where nothing was found
 *  @returns how many are, and a flag for each texel that takes the new answer */
export function sheetsAmong(
  { patchOf, count, wanted }: Patches,
  heights: Float32Array,
  found: Float32Array,
): { readonly sheets: number; readonly takes: Uint8Array } {
  const sizes = new Uint32Array(count);
  const better = new Uint32Array(count);
  const takes = new Uint8Array(patchOf.length);
  for (let i = 0; i < patchOf.length; i++) {
    const patch = patchOf[i];
    if (patch < 0) continue;
    sizes[patch]++;
    if (Math.abs(found[i] - wanted[i]) <= NEARER * Math.abs(heights[i] - wanted[i])) {
      better[patch]++;
      takes[i] = 1;
    }
  }
  let sheets = 0;
  for (let p = 0; p < count; p++) if (better[p] >= AGREED * sizes[p]) sheets++;
  for (let i = 0; i < takes.length; i++) if (takes[i] === 1 && better[patchOf[i]] < AGREED * sizes[patchOf[i]]) takes[i] = 0;
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
