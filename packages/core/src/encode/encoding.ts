import { InvalidInputError } from '../runtime/errors';

export type Depth = '8' | '16' | 'half' | 'float';

/** Scene units of stored values: d = scale (c - midpoint). */
export interface StoredRange {
  readonly midpoint: number;
  readonly scale: number; // scene units of one whole stored unit, > 0
}

/** How scene units become stored values: c = d / scale + midpoint, rounded to the depth's codes. */
export interface Encoding extends StoredRange {
  readonly depth: Depth;
  /** Vector maps: a range of its own for R, G and B, where they do not share one. */
  readonly each?: readonly [StoredRange, StoredRange, StoredRange] | null | undefined;
}

/** The encoding of one channel. */
export const channelEncoding = ({ depth, midpoint, scale, each }: Encoding, channel: number): Encoding =>
  !each ? { depth, midpoint, scale } : { depth, ...each[channel] };

/** Midpoint and scale as they are recorded: one number, or one a channel. */
export const recordedRange = ({ midpoint, scale, each }: Encoding): { midpoint: number | number[]; scale: number | number[] } =>
  !each ? { midpoint, scale } : { midpoint: each.map((r) => r.midpoint), scale: each.map((r) => r.scale) };

/** Conventions of a normal map beyond its depth. */
export interface NormalConvention {
  /** Whether green grows along V, or against it. */
  readonly green: 'up' | 'down';
  /** False writes a full blue channel and leaves it to the reader to rebuild it from red and green; tangent space only. */
  readonly keepBlue: boolean;
}
/** Components of a direction run from -1 to 1: c = (n + 1) / 2. */
export const NORMAL_RANGE = { midpoint: 0.5, scale: 2 } as const;

export const isInteger = (depth: Depth): boolean => depth === '8' || depth === '16';
/** Largest code of an integer depth. */
export const maxCode = (depth: Depth): number => (depth === '8' ? 255 : 65535);
export const HALF_MAX = 65504;

/** The midpoint nearest to one half that is a code, so that d = 0 is stored exactly; one half for floats. */
export const exactMidpoint = (depth: Depth): number => (depth === '8' ? 128 / 255 : depth === '16' ? 32768 / 65535 : 0.5);

/** What midpoint and scale may be at all: beyond, single precision keeps nothing of a value. */
export const ENCODING_RANGES = { midpoint: [-1000, 1000], scale: [1e-9, 1e9] } as const;

/** @throws InvalidInputError BAD_OPTION */
export function checkEncoding({ midpoint, scale, each }: Encoding): void {
  if (each) for (const range of each) checkRangeOf(range);
  checkRangeOf({ midpoint, scale });
}

function checkRangeOf(range: StoredRange): void {
  for (const option of ['midpoint', 'scale'] as const) {
    const [least, most] = ENCODING_RANGES[option];
    const x = range[option];
    if (!(x >= least && x <= most))
      throw new InvalidInputError('BAD_OPTION', `${option} is ${x}; it must be a number from ${least} to ${most}.`, { option });
  }
}

const narrowed = new Float32Array(1);
const narrowedBits = new Uint32Array(narrowed.buffer);

/** Scene units between a stored value and the next: s / (2^b - 1) for integers; for floats it grows with the stored value c, by the exponent of its
 *  single precision. */
export function stepAt({ depth, scale }: Encoding, c: number): number {
  if (isInteger(depth)) return scale / maxCode(depth);
  narrowed[0] = c;
  const exponent = ((narrowedBits[0] >>> 23) & 0xff) - 127;
  return scale * (depth === 'half' ? POWERS[Math.max(exponent, -14) - 10 + LEAST] : POWERS[Math.max(exponent, -126) - 23 + LEAST]);
}
/** Of two, from the smallest step of single precision to the largest: a table, for it is asked for at every texel. */
const LEAST = 149;
const POWERS = Float64Array.from({ length: 256 }, (_, i) => 2 ** (i - LEAST));

/** Code of a displacement before clipping. Rounding is floor(x + 0.5). */
export const integerCode = ({ depth, midpoint, scale }: Encoding, d: number): number =>
  Math.floor((d / scale + midpoint) * maxCode(depth) + 0.5);

/** Scene units of a stored value (0..1 for integers). */
export const decodeValue = ({ midpoint, scale }: StoredRange, c: number): number => scale * (c - midpoint);
