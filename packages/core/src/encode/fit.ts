import type { Field } from '../raster/field';
import { countOf, INSIDE } from '../raster/field';
import { hasAxes, traitsOf } from '../raster/map-kinds';
import { InvalidInputError } from '../runtime/errors';
import type { AxisOrder } from './axis-order';
import { orderChannels } from './axis-order';
import type { Depth, Encoding, StoredRange } from './encoding';
import { ENCODING_RANGES, exactMidpoint, isInteger, maxCode, NORMAL_RANGE } from './encoding';
import { ranked } from './ranked';
import { requireUsable } from './usable';

/** How midpoint and scale follow from the field. */
export interface Fit {
  readonly kind: 'measured' | 'symmetric' | 'full' | 'clip';
  /** Share of texels that may be clipped in all, half from each tail; only for `clip`. */
  readonly share: number;
  /** Raise the scale to the next of 1, 2, 2.5, 5 x 10^k. */
  readonly rounded: boolean;
}

export const defaultFit = (depth: Depth): Fit => ({ kind: isInteger(depth) ? 'symmetric' : 'measured', share: 0, rounded: false });

/** Reads `measured`, `symmetric`, `full`, `clip:SHARE`, each with `,rounded` behind it if wanted.
 *  @throws InvalidInputError BAD_OPTION */
export function parseFit(text: string): Fit {
  const found = /^(measured|symmetric|full|clip:([0-9.eE+-]+))(,rounded)?$/.exec(text);
  const share = Number(found?.[2] ?? 0);
  if (!found || !(share >= 0 && share < 1))
    throw new InvalidInputError(
      'BAD_OPTION',
      `fit '${text}' is not known; use measured, symmetric, full or clip:SHARE (0 to 1), with ,rounded behind it if wanted.`,
      {
        option: 'fit',
      },
    );
  const kind = found[2] === undefined ? (found[1] as Fit['kind']) : 'clip';
  return { kind, share, rounded: found[3] !== undefined };
}

/** Lowest and highest value over class 1; 0, 0 when there are none. */
function extent(fields: readonly Field[]): [number, number] {
  let lo = Infinity;
  let hi = -Infinity;
  for (const { values, coverage, channels } of fields)
    for (let i = 0; i < coverage.length; i++) {
      if (coverage[i] !== INSIDE) continue;
      for (let k = 0; k < channels; k++) {
        const x = values[channels * i + k];
        if (x < lo) lo = x;
        if (x > hi) hi = x;
      }
    }
  return lo <= hi ? [lo, hi] : [0, 0];
}

/** Values below which and above which `share / 2` of the class 1 values lie each. */
function clippedExtent(fields: readonly Field[], share: number): [number, number] {
  const count = fields.reduce((sum, { coverage, channels }) => sum + channels * countOf(coverage, INSIDE), 0);
  if (count === 0) return [0, 0];
  const cut = Math.floor((share / 2) * count);
  const [low, high] = ranked(fields, [cut, count - 1 - cut]);
  return [low, high];
}

/** Midpoint and scale for a field, or one for several that share them (tiles of a map).
 *  @param midpoint given by the user, or null to let the fit choose
 *  @throws InvalidInputError BAD_OPTION for a fit that the depth or the midpoint does not allow */
export function fitRange(
  fields: Field | readonly Field[],
  depth: Depth,
  fit: Fit,
  midpoint: number | null,
): { midpoint: number; scale: number } {
  if (fit.kind === 'measured') {
    if (isInteger(depth))
      throw new InvalidInputError('BAD_OPTION', 'fit measured keeps scene units and needs a half or float file; use symmetric or full.', {
        option: 'fit',
      });
    return { midpoint: midpoint ?? 0, scale: 1 };
  }
  const all = 'coverage' in fields ? [fields] : fields;
  const [lowest, highest] = fit.kind === 'clip' ? clippedExtent(all, fit.share) : extent(all);
  let m: number;
  let s: number;
  if (fit.kind === 'symmetric') {
    m = midpoint ?? exactMidpoint(depth);
    if (!(m > 0 && m < 1))
      throw new InvalidInputError('BAD_OPTION', `fit symmetric needs a midpoint between 0 and 1, not ${m}.`, { option: 'midpoint' });
    s = Math.max(Math.abs(lowest), Math.abs(highest)) / Math.min(m, 1 - m);
  } else {
    const lo = Math.min(0, lowest);
    const hi = Math.max(0, highest);
    m = midpoint ?? (hi > lo ? -lo / (hi - lo) : 0);
    if (midpoint === null && isInteger(depth)) m = Math.floor(m * maxCode(depth) + 0.5) / maxCode(depth);
    if ((m <= 0 && lo < 0) || (m >= 1 && hi > 0)) {
      if (midpoint !== null)
        throw new InvalidInputError(
          'BAD_OPTION',
          `midpoint ${m} leaves no room for the field's ${lo < 0 && m <= 0 ? 'negative' : 'positive'} values.`,
          { option: 'midpoint' },
        );
      // a tail thinner than half a code was snapped away: give it one code
      if (isInteger(depth)) m = m <= 0 ? 1 / maxCode(depth) : 1 - 1 / maxCode(depth);
    }
    s = Math.max(hi > 0 ? hi / (1 - m) : 0, lo < 0 ? -lo / m : 0);
  }
  if (!(s > 0)) return { midpoint: m, scale: 1 };
  // a surface that is flat but for noise
  s = Math.max(s, ENCODING_RANGES.scale[0]);
  return { midpoint: m, scale: fit.rounded ? roundUp(s) : s };
}

/** The next of 1, 2, 2.5, 5 x 10^k that is not below x > 0. */
export function roundUp(x: number): number {
  const k = Math.floor(Math.log10(x));
  for (const [mantissa, exponent] of [
    [1, k],
    [2, k],
    [2.5, k],
    [5, k],
    [1, k + 1],
  ] as const) {
    const candidate = Number(`${mantissa}e${exponent}`);
    if (candidate >= x) return candidate;
  }
  return Number(`2e${k + 1}`);
}

export interface RangeWish {
  readonly kind: string;
  readonly depth: Depth;
  /** Null takes what suits the kind. */
  readonly fit: Fit | null;
  /** These win over the fit. */
  readonly midpoint: number | null;
  readonly scale: number | null;
  /** Vector maps: the order of the channels, and whether each gets a range of its own. */
  readonly axes: AxisOrder;
  readonly each: boolean;
}

/** The encoding of a map from all its tiles, in the range that its kind takes (`MAP_KINDS`) unless a fit is wished.
 *  @throws InvalidInputError BAD_OPTION, also where what was wished would keep nothing of the fields */
export function fitEncoding(fields: readonly Field[], wish: RangeWish): Encoding {
  const encoding = chooseEncoding(fields, wish);
  if (wish.midpoint !== null || wish.scale !== null) requireUsable(fields, encoding);
  return encoding;
}

function chooseEncoding(fields: readonly Field[], { kind, depth, fit, midpoint, scale, axes, each }: RangeWish): Encoding {
  const { range } = traitsOf(kind);
  if (range === 'directions') {
    if (fit !== null)
      throw new InvalidInputError('BAD_OPTION', 'normals always run from -1 to 1; leave the fit out for a normal map.', { option: 'fit' });
    return { depth, midpoint: midpoint ?? NORMAL_RANGE.midpoint, scale: scale ?? NORMAL_RANGE.scale };
  }
  if (each && (!hasAxes(kind) || midpoint !== null || scale !== null))
    throw new InvalidInputError(
      'BAD_OPTION',
      hasAxes(kind) ? 'a range for each channel is fitted; leave midpoint and scale out.' : `a ${kind} map has one range for all channels.`,
      { option: 'ranges' },
    );
  if (midpoint !== null && scale !== null) return { depth, midpoint, scale };
  if (range === 'unit' && fit === null) return { depth, midpoint: midpoint ?? 0, scale: scale ?? 1 };
  const full: Fit = { kind: 'full', share: 0, rounded: false };
  const wished = fit ?? (range === 'full' && isInteger(depth) ? full : defaultFit(depth));
  const ordered = hasAxes(kind) ? fields.map((f) => orderChannels(f, axes)) : fields;
  if (each) {
    const range = (k: number): StoredRange => fitRange(ordered.map((f) => channelOf(f, k)), depth, wished, null); // prettier-ignore
    const [r, g, b] = [range(0), range(1), range(2)];
    return { depth, ...r, each: [r, g, b] };
  }
  const fitted = fitRange(ordered, depth, wished, midpoint);
  return { depth, midpoint: fitted.midpoint, scale: scale ?? fitted.scale };
}

function channelOf({ width, height, channels, values, coverage }: Field, k: number): Field {
  const out = new Float32Array(width * height);
  for (let i = 0; i < out.length; i++) out[i] = values[channels * i + k];
  return { width, height, channels: 1, values: out, coverage };
}
