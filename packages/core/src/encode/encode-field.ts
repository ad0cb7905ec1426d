import type { Field, Raster } from '../raster/field';
import { INSIDE, isMeasured, PADDING } from '../raster/field';
import { texelBlock } from '../raster/texel-grid';
import type { Encoding } from './encoding';
import { channelEncoding, checkEncoding, decodeValue, HALF_MAX, integerCode, isInteger, maxCode, stepAt } from './encoding';
import { fromHalf, halfTable, toHalf } from '../raster/half';

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

/** The stored value of one displacement before it is clipped: a code, or a float before it is narrowed. */
const unclipped = (e: Encoding, d: number): number => (isInteger(e.depth) ? integerCode(e, d) : d / e.scale + e.midpoint);

/** What stored values may be; floats are narrowed by their type. */
function rangeOf(depth: Encoding['depth']): readonly [number, number] {
  if (isInteger(depth)) return [0, maxCode(depth)];
  return depth === 'half' ? [-HALF_MAX, HALF_MAX] : [-Infinity, Infinity];
}

/** Encodes a field, channel by channel. Texels outside all padding get the rest value.
 *  @param restValue scene units of a texel where nothing is: 0 for displacements, 1 for openness
 *  @param texelSizes grid of TEXEL_GRID blocks for the terraced share, or null
 *  @throws InvalidInputError BAD_OPTION for a scale that is not above 0 */
export function encodeField(field: Field, encoding: Encoding, texelSizes: Float32Array | null, restValue = 0): EncodedMap {
  checkEncoding(encoding);
  const { values, coverage, channels, width, height } = field;
  const n = values.length;
  const floats = isInteger(encoding.depth) ? null : new Float32Array(n);
  const codes = encoding.depth === '8' ? new Uint8Array(n) : encoding.depth === '16' ? new Uint16Array(n) : null;
  let clipped = 0;
  let inside = 0;
  const encodings = encodingsOf(encoding, channels);
  const [lowest, highest] = rangeOf(encoding.depth);
  for (let t = 0, i = 0; i < n; t++)
    for (let k = 0; k < channels; k++, i++) {
      const c = unclipped(encodings[k], coverage[t] === 0 ? restValue : values[i]);
      if (coverage[t] === INSIDE) {
        inside++;
        if (c < lowest || c > highest) clipped++;
      }
      if (codes) codes[i] = c < lowest ? lowest : c > highest ? highest : c;
      else if (floats) floats[i] = c;
    }
  const stored = codes ?? (encoding.depth === 'half' ? toHalf(floats ?? new Float32Array(0)) : (floats ?? new Float32Array(0)));
  const map = { width, height, channels, stored, encoding };
  return {
    ...map,
    figures: {
      ...decodedFigures(field, stored, encoding),
      restError: Math.max(...encodings.map((e) => Math.abs(decodeStored(e, restValue) - restValue))),
      clippedShare: inside === 0 ? 0 : clipped / inside,
      terracedShare: texelSizes === null ? null : terracedShare(field, encoding, texelSizes),
    },
  };
}

const encodingsOf = (encoding: Encoding, channels: number): Encoding[] =>
  Array.from({ length: channels }, (_, k) => channelEncoding(encoding, k));

/** Encodes and decodes one displacement. */
export function decodeStored(encoding: Encoding, d: number): number {
  const c = unclipped(encoding, d);
  const [lowest, highest] = rangeOf(encoding.depth);
  if (isInteger(encoding.depth)) return decodeValue(encoding, Math.min(Math.max(c, lowest), highest) / highest);
  const narrow = Float32Array.of(c);
  return decodeValue(encoding, (encoding.depth === 'half' ? fromHalf(toHalf(narrow)) : narrow)[0]);
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

/** Stored values as doubles, 0..1 for integers: what a raster narrows to single precision. */
function storedAt(stored: StoredValues, depth: Encoding['depth']): (i: number) => number {
  if (isInteger(depth)) {
    const top = maxCode(depth);
    return (i) => stored[i] / top;
  }
  if (depth !== 'half') return (i) => stored[i];
  const floats = halfTable();
  return (i) => floats[stored[i]];
}

/** In double precision: what rounding does must not drown in the rounding of the figures. */
function decodedFigures(
  { values, coverage, channels }: Field,
  stored: StoredValues,
  encoding: Encoding,
): Pick<EncodingFigures, 'step' | 'min' | 'max' | 'ends' | 'bound' | 'roundingRms'> {
  const encodings = encodingsOf(encoding, channels);
  const at = storedAt(stored, encoding.depth);
  const lows = new Array<number>(channels).fill(Infinity);
  const highs = new Array<number>(channels).fill(-Infinity);
  let sum = 0;
  let count = 0;
  let bound2 = 0;
  let length2 = 0;
  for (let i = 0; i < values.length; i++) {
    if (coverage[channels === 1 ? i : Math.floor(i / channels)] !== INSIDE) continue;
    const k = i % channels;
    const d = decodeValue(encodings[k], at(i));
    length2 = k === 0 ? d * d : length2 + d * d;
    if (length2 > bound2) bound2 = length2;
    if (d < lows[k]) lows[k] = d;
    if (d > highs[k]) highs[k] = d;
    sum += (d - values[i]) ** 2;
    count++;
  }
  const steps = encodings.map((e, k) =>
    stepAt(e, count === 0 ? 0 : Math.max(Math.abs(lows[k] / e.scale + e.midpoint), Math.abs(highs[k] / e.scale + e.midpoint))),
  );
  return {
    step: Math.max(...steps),
    min: count === 0 ? null : Math.min(...lows),
    max: count === 0 ? null : Math.max(...highs),
    ends: count === 0 ? null : lows.map((min, k) => ({ min, max: highs[k] })),
    bound: Math.sqrt(bound2),
    roundingRms: count === 0 ? 0 : Math.sqrt(sum / count),
  };
}

/** Share of class 1 texels where one step, over one texel of surface, is steeper than the limit while the field itself changes
 *  by more than nothing and less than a step a texel: there the eye sees steps instead of a slope. */
export function terracedShare(field: Field, encoding: Encoding, texelSizes: Float32Array): number {
  const { values: d, coverage, width: W, height: H, channels } = field;
  const flattest = Math.tan(TERRACE_LIMIT_RAD);
  const encodings = encodingsOf(encoding, channels);
  const largest = encodings.reduce((step, e, k) => Math.max(step, largestStep(field, e, k)), 0);
  const columns = Uint32Array.from({ length: W }, (_, x) => texelBlock(x, 0, W, H));
  let terraced = 0;
  let inside = 0;
  for (let y = 0; y < H; y++) {
    const row = texelBlock(0, y, W, H);
    for (let x = 0; x < W; x++) {
      const i = y * W + x;
      if (coverage[i] !== INSIDE) continue;
      inside++;
      const size = texelSizes[row + columns[x]];
      if (size === 0 || largest <= flattest * size) continue;
      let terrace = false;
      for (let k = 0; k < channels && !terrace; k++) {
        const e = encodings[k];
        const step = stepAt(e, d[channels * i + k] / e.scale + e.midpoint);
        if (step <= flattest * size) continue;
        const change = Math.hypot(slope(d, coverage, i, x, W, 1, channels, k), slope(d, coverage, i, y, H, W, channels, k));
        terrace = change > 0 && change < step;
      }
      if (terrace) terraced++;
    }
  }
  return inside === 0 ? 0 : terraced / inside;
}

/** Of a channel, over class 1. */
function largestStep({ values, coverage, channels }: Field, e: Encoding, k: number): number {
  let most = 0;
  for (let t = 0; t < coverage.length; t++) {
    if (coverage[t] !== INSIDE) continue;
    const c = Math.abs(values[channels * t + k] / e.scale + e.midpoint);
    if (c > most) most = c;
  }
  return stepAt(e, most);
}

const isKnown = (c: number): boolean => isMeasured(c) || c === PADDING;

/** Change of the field a texel along one axis: central where both neighbours are known, one-sided at borders. */
function slope(
  d: Float32Array,
  coverage: Uint8Array,
  i: number,
  at: number,
  size: number,
  stride: number,
  channels: number,
  k: number,
): number {
  const lo = at > 0 && isKnown(coverage[i - stride]) ? i - stride : i;
  const hi = at + 1 < size && isKnown(coverage[i + stride]) ? i + stride : i;
  return lo === hi ? 0 : (d[channels * hi + k] - d[channels * lo + k]) / ((hi - lo) / stride);
}
