import type { Field, Raster } from '../raster/field';
import { countOf, INSIDE, isMeasured, PADDING } from '../raster/field';
import { texelBlock } from '../raster/texel-grid';
import type { Encoding } from './encoding';
import { channelEncoding, checkEncoding, decodeValue, HALF_MAX, integerCode, isInteger, maxCode, stepAt } from './encoding';
import { fromHalf, halfOf, halfTable } from '../raster/half';

export type StoredValues = Uint8Array | Uint16Array | Float32Array;

/** Stored values of a map, ready to be written: codes, half bits (uint16) or floats. */
export interface EncodedMap {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  readonly stored: StoredValues;
  readonly encoding: Encoding;
  readonly figures: EncodingFigures;
}

/** What an encoding does to a field; lengths in scene units, shares over class 1. */
export interface EncodingFigures {
  /** Integer: the step. Floats: the largest step that occurs. */
  readonly step: number;
  /** How far a flat area moves. */
  readonly restError: number;
  readonly clippedShare: number;
  /** Null when the field does not know its texel sizes. */
  readonly terracedShare: number | null;
  /** Smallest and largest decoded value of all channels over class 1; null when nothing is covered. */
  readonly min: number | null;
  readonly max: number | null;
  /** The same of each channel. */
  readonly ends: readonly { readonly min: number; readonly max: number }[] | null;
  /** Largest decoded length of a texel: what a renderer must reckon with. */
  readonly bound: number;
  /** RMS of decoded minus measured, at texel centres. */
  readonly roundingRms: number;
}

/** Slopes steeper than this across one step are seen as terraces. */
export const TERRACE_LIMIT_RAD = (0.5 * Math.PI) / 180;

/** Encodes a field, channel by channel. Texels outside all padding get the rest value.
 *  @param restValue scene units of a texel where nothing is: 0 for displacements, 1 for openness
 *  @param texelSizes grid of TEXEL_GRID blocks for the terraced share, or null
 *  @throws InvalidInputError BAD_OPTION for a scale that is not above 0 */
export function encodeField(field: Field, encoding: Encoding, texelSizes: Float32Array | null, restValue = 0): EncodedMap {
  checkEncoding(encoding);
  const { width, height, channels } = field;
  const stored = roomFor(encoding.depth, field.values.length);
  const figures = figuresOf(field, encoding, texelSizes, restValue, stored);
  return { width, height, channels, stored, encoding, figures };
}

/** What `encodeField` would say, without the values. @throws InvalidInputError BAD_OPTION */
export function fieldFigures(field: Field, encoding: Encoding, texelSizes: Float32Array | null, restValue = 0): EncodingFigures {
  checkEncoding(encoding);
  return figuresOf(field, encoding, texelSizes, restValue, null);
}

function figuresOf(
  field: Field,
  encoding: Encoding,
  texelSizes: Float32Array | null,
  restValue: number,
  stored: StoredValues | null,
): EncodingFigures {
  const encodings = encodingsOf(encoding, field.channels);
  const { count, clipped, lows, highs, reach, bound2, sum } = encodeTexels(field, encodings, restValue, stored);
  const largest = (ends: readonly number[]): number => Math.max(...encodings.map((e, k) => stepAt(e, count === 0 ? 0 : ends[k])));
  return {
    step: largest(encodings.map((e, k) => Math.max(Math.abs(lows[k] / e.scale + e.midpoint), Math.abs(highs[k] / e.scale + e.midpoint)))),
    min: count === 0 ? null : Math.min(...lows),
    max: count === 0 ? null : Math.max(...highs),
    ends: count === 0 ? null : lows.map((min, k) => ({ min, max: highs[k] })),
    bound: Math.sqrt(bound2),
    roundingRms: count === 0 ? 0 : Math.sqrt(sum / count),
    restError: Math.max(...encodings.map((e) => Math.abs(decodeStored(e, restValue) - restValue))),
    clippedShare: count === 0 ? 0 : clipped / count,
    terracedShare: texelSizes === null ? null : terracedShare(field, encodings, texelSizes, largest(reach)),
  };
}

const roomFor = (depth: Encoding['depth'], n: number): StoredValues =>
  depth === '8' ? new Uint8Array(n) : depth === 'float' ? new Float32Array(n) : new Uint16Array(n);

/** What adds up over the values of class 1. */
interface Sums {
  readonly count: number;
  readonly clipped: number;
  /** Smallest and largest decoded value of each channel, and the largest size of a stored value before it is rounded. */
  readonly lows: readonly number[];
  readonly highs: readonly number[];
  readonly reach: readonly number[];
  /** Largest squared length of a decoded texel. */
  readonly bound2: number;
  /** Of squared differences to the field: in double precision, what rounding does must not drown in the rounding of the figures. */
  readonly sum: number;
}

/** Texels that are gone through channel by channel before the next come. */
const RUN = 4096;

/** Encodes, reads back and sums up in one pass. @param stored takes what is stored; null for the sums alone */
function encodeTexels(
  { values, coverage, channels }: Field,
  encodings: readonly Encoding[],
  restValue: number,
  stored: StoredValues | null,
): Sums {
  const { depth } = encodings[0];
  const top = isInteger(depth) ? maxCode(depth) : 0;
  const halves = depth === 'half' ? halfTable() : null;
  const lows = encodings.map(() => Infinity);
  const highs = encodings.map(() => -Infinity);
  const reaches = encodings.map(() => 0);
  const lengths2 = new Float64Array(RUN);
  let count = 0;
  let clipped = 0;
  let sum = 0;
  let bound2 = 0;
  for (let from = 0; from < coverage.length; from += RUN) {
    const to = Math.min(coverage.length, from + RUN);
    lengths2.fill(0);
    for (const [k, { scale, midpoint }] of encodings.entries()) {
      let low = lows[k];
      let high = highs[k];
      let reach = reaches[k];
      for (let t = from, i = channels * from + k; t < to; t++, i += channels) {
        const covered = coverage[t];
        if (covered !== INSIDE && stored === null) continue;
        const c = (covered === 0 ? restValue : values[i]) / scale + midpoint;
        let read: number;
        let isClipped = false;
        if (top > 0) {
          const code = Math.floor(c * top + 0.5);
          const kept = code < 0 ? 0 : code > top ? top : code;
          isClipped = kept !== code;
          if (stored !== null) stored[i] = kept;
          read = kept / top;
        } else if (halves !== null) {
          const half = halfOf(c);
          isClipped = c < -HALF_MAX || c > HALF_MAX;
          if (stored !== null) stored[i] = half;
          read = halves[half];
        } else {
          read = Math.fround(c);
          if (stored !== null) stored[i] = read;
        }
        if (covered !== INSIDE) continue;
        count++;
        if (isClipped) clipped++;
        const d = scale * (read - midpoint);
        lengths2[t - from] += d * d;
        if (d < low) low = d;
        if (d > high) high = d;
        const size = c < 0 ? -c : c;
        if (size > reach) reach = size;
        const off = d - values[i];
        sum += off * off;
      }
      lows[k] = low;
      highs[k] = high;
      reaches[k] = reach;
    }
    for (let t = 0; t < to - from; t++) if (lengths2[t] > bound2) bound2 = lengths2[t];
  }
  return { count, clipped, lows, highs, reach: reaches, bound2, sum };
}

const encodingsOf = (encoding: Encoding, channels: number): Encoding[] =>
  Array.from({ length: channels }, (_, k) => channelEncoding(encoding, k));

/** Encodes and decodes one displacement. */
export function decodeStored(encoding: Encoding, d: number): number {
  const { depth, scale, midpoint } = encoding;
  if (isInteger(depth)) {
    const top = maxCode(depth);
    return decodeValue(encoding, Math.min(Math.max(integerCode(encoding, d), 0), top) / top);
  }
  const c = d / scale + midpoint;
  return decodeValue(encoding, depth === 'half' ? halfTable()[halfOf(c)] : Math.fround(c));
}

/** Stored values as a raster of 0..1 (integers) or as they are (floats). */
export function storedRaster({ width, height, channels, stored, encoding }: Omit<EncodedMap, 'figures'>): Raster {
  if (stored instanceof Float32Array) return { width, height, channels, values: stored };
  if (encoding.depth === 'half') return { width, height, channels, values: fromHalf(stored as Uint16Array) };
  const top = maxCode(encoding.depth);
  return { width, height, channels, values: Float32Array.from(stored, (q) => q / top) };
}

/** The map as a renderer sees it, in scene units. */
export function decodeMap(map: Omit<EncodedMap, 'figures'>): Raster {
  const raster = storedRaster(map);
  const encodings = encodingsOf(map.encoding, map.channels);
  return { ...raster, values: raster.values.map((c, i) => decodeValue(encodings[i % map.channels], c)) };
}

/** Share of class 1 texels where one step, over one texel of surface, is steeper than the limit while the field itself changes
 *  by more than nothing and less than a step a texel: there the eye sees steps instead of a slope.
 *  @param largest step that occurs */
function terracedShare(field: Field, encodings: readonly Encoding[], texelSizes: Float32Array, largest: number): number {
  const { values: d, coverage, width: W, height: H, channels } = field;
  const flattest = Math.tan(TERRACE_LIMIT_RAD);
  if (!texelSizes.some((size) => size > 0 && largest > flattest * size)) return 0;
  const columns = Uint32Array.from({ length: W }, (_, x) => texelBlock(x, 0, W, H));
  const largest2 = largest * largest;
  let terraced = 0;
  for (let y = 0; y < H; y++) {
    const row = texelBlock(0, y, W, H);
    for (let x = 0; x < W; x++) {
      const i = y * W + x;
      if (coverage[i] !== INSIDE) continue;
      const limit = flattest * texelSizes[row + columns[x]];
      if (limit === 0 || largest <= limit) continue;
      // central differences where both neighbours are known, one-sided at borders
      const left = x > 0 ? KNOWN[coverage[i - 1]] : 0;
      const right = x + 1 < W ? KNOWN[coverage[i + 1]] : 0;
      const above = y > 0 ? KNOWN[coverage[i - W]] : 0;
      const below = y + 1 < H ? KNOWN[coverage[i + W]] : 0;
      const wide = left + right === 2 ? 0.5 : 1;
      const high = above + below === 2 ? 0.5 : 1;
      for (let k = 0, at = channels * i; k < channels; k++, at++) {
        const across = wide * (d[at + channels * right] - d[at - channels * left]);
        const down = high * (d[at + channels * below * W] - d[at - channels * above * W]);
        const change2 = across * across + down * down;
        if (change2 === 0 || change2 >= largest2) continue;
        const e = encodings[k];
        const step = stepAt(e, d[at] / e.scale + e.midpoint);
        if (step <= limit || change2 >= step * step) continue;
        terraced++;
        break;
      }
    }
  }
  const inside = countOf(coverage, INSIDE);
  return inside === 0 ? 0 : terraced / inside;
}

/** 1 for a class of texels that hold a value. */
const KNOWN = Uint8Array.from({ length: 256 }, (_, c) => (isMeasured(c) || c === PADDING ? 1 : 0));
