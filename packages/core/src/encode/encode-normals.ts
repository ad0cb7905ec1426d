import type { Field, Raster } from '../raster/field';
import { INSIDE, OUTSIDE } from '../raster/field';
import { InvalidInputError } from '../runtime/errors';
import { toHalf } from '../raster/half';
import type { EncodedMap, EncodingFigures } from './encode-field';
import { storedRaster } from './encode-field';
import type { Encoding, NormalConvention } from './encoding';
import { checkEncoding, decodeValue, HALF_MAX, integerCode, isInteger, maxCode, stepAt } from './encoding';

/** Figures of a normal map; angles in degrees, shares over class 1. */
export interface NormalFigures extends EncodingFigures {
  /** Angle between the flat normal and what its stored colour gives back. */
  readonly restAngle: number;
  /** RMS and largest angle that rounding turns a normal by, at texel centres. */
  readonly roundingAngle: { readonly rms: number; readonly max: number };
}

export type EncodedNormals = Omit<EncodedMap, 'figures'> & { readonly convention: NormalConvention; readonly figures: NormalFigures };

const DEGREES = 180 / Math.PI;

/** Reads unit normals from stored values; a blue that was left out is rebuilt as sqrt(1 - x^2 - y^2). Shared by encoder and proof.
 *  @param stored three values of a texel or of a filtered read */
export function decodeNormal(
  out: Float64Array,
  encoding: Pick<Encoding, 'midpoint' | 'scale'>,
  { green, keepBlue }: NormalConvention,
  r: number,
  g: number,
  b: number,
): void {
  const x = decodeValue(encoding, r);
  const y = green === 'up' ? decodeValue(encoding, g) : -decodeValue(encoding, g);
  const z = keepBlue ? decodeValue(encoding, b) : Math.sqrt(Math.max(0, 1 - x * x - y * y));
  const length = Math.hypot(x, y, z);
  out[0] = length === 0 ? 0 : x / length;
  out[1] = length === 0 ? 0 : y / length;
  out[2] = length === 0 ? 1 : z / length;
}

/** Encodes a field of unit normals. Texels outside all padding get the flat normal (0, 0, 1).
 *  @throws InvalidInputError BAD_OPTION for a scale that is not above 0 */
export function encodeNormals(field: Field, encoding: Encoding, convention: NormalConvention): EncodedNormals {
  checkEncoding(encoding);
  if (field.channels !== 3)
    throw new InvalidInputError('BAD_OPTION', 'This field holds heights, not normals; encode it as a scalar map.', { option: 'green' });
  const { values, coverage, width, height } = field;
  const n = values.length;
  const integer = isInteger(encoding.depth);
  const out = encoding.depth === '8' ? new Uint8Array(n) : encoding.depth === '16' ? new Uint16Array(n) : new Float32Array(n);
  const top = integer ? maxCode(encoding.depth) : 0;
  let clipped = 0;
  let inside = 0;
  for (let i = 0; i < coverage.length; i++) {
    const outside = coverage[i] === OUTSIDE;
    const x = outside ? 0 : values[3 * i];
    const y = outside ? 0 : convention.green === 'up' ? values[3 * i + 1] : -values[3 * i + 1];
    const z = outside ? 1 : values[3 * i + 2];
    // a normal that looks backwards cannot be rebuilt from x and y
    let lost = !convention.keepBlue && z < 0;
    for (let k = 0; k < 3; k++) {
      const value = k === 0 ? x : k === 1 ? y : convention.keepBlue ? z : 1;
      if (integer) {
        const q = integerCode(encoding, value);
        lost ||= q < 0 || q > top;
        out[3 * i + k] = q < 0 ? 0 : q > top ? top : q;
      } else {
        const c = value / encoding.scale + encoding.midpoint;
        lost ||= encoding.depth === 'half' && Math.abs(c) > HALF_MAX;
        out[3 * i + k] = c;
      }
    }
    if (coverage[i] !== INSIDE) continue;
    inside++;
    if (lost) clipped++;
  }
  const stored = encoding.depth === 'half' ? toHalf(out as Float32Array) : out;
  const map = { width, height, channels: 3 as const, stored, encoding };
  return {
    ...map,
    convention,
    figures: { ...turnedBy(field, storedRaster(map), encoding, convention), clippedShare: inside === 0 ? 0 : clipped / inside },
  };
}

function turnedBy(field: Field, raster: Raster, encoding: Encoding, convention: NormalConvention): Omit<NormalFigures, 'clippedShare'> {
  const { values, coverage } = field;
  const c = raster.values;
  const back = new Float64Array(3);
  const lows = [Infinity, Infinity, Infinity];
  const highs = [-Infinity, -Infinity, -Infinity];
  let squares = 0;
  let worst = 0;
  let inside = 0;
  for (let i = 0; i < coverage.length; i++) {
    if (coverage[i] !== INSIDE) continue;
    inside++;
    decodeNormal(back, encoding, convention, c[3 * i], c[3 * i + 1], c[3 * i + 2]);
    const angle = angleBetween(back, values[3 * i], values[3 * i + 1], values[3 * i + 2]);
    squares += angle * angle;
    worst = Math.max(worst, angle);
    for (let k = 0; k < 3; k++) {
      lows[k] = Math.min(lows[k], back[k]);
      highs[k] = Math.max(highs[k], back[k]);
    }
  }
  const restAngle = flatAngle(encoding, convention);
  return {
    step: stepAt(encoding, 1 / encoding.scale + encoding.midpoint),
    restError: 2 * Math.sin(restAngle / DEGREES / 2),
    restAngle,
    terracedShare: null,
    min: inside === 0 ? null : Math.min(...lows),
    max: inside === 0 ? null : Math.max(...highs),
    ends: inside === 0 ? null : lows.map((min, k) => ({ min, max: highs[k] })),
    bound: inside === 0 ? 0 : 1,
    roundingRms: inside === 0 ? 0 : Math.sqrt(squares / inside) / DEGREES,
    roundingAngle: { rms: inside === 0 ? 0 : Math.sqrt(squares / inside), max: worst },
  };
}

/** Angle by which the stored flat normal is off. */
function flatAngle(encoding: Encoding, convention: NormalConvention): number {
  const one = encodeFlat(encoding);
  const back = new Float64Array(3);
  decodeNormal(back, encoding, convention, one[0], one[1], one[2]);
  return angleBetween(back, 0, 0, 1);
}

function encodeFlat(encoding: Encoding): Float32Array {
  const field = { width: 1, height: 1, channels: 3 as const };
  const c = [0, 0, 1].map((d) => d / encoding.scale + encoding.midpoint);
  if (isInteger(encoding.depth)) {
    const top = maxCode(encoding.depth);
    return Float32Array.from([0, 0, 1], (d) => Math.min(top, Math.max(0, integerCode(encoding, d))) / top);
  }
  const stored = encoding.depth === 'half' ? toHalf(Float32Array.from(c)) : Float32Array.from(c);
  return storedRaster({ ...field, stored, encoding }).values;
}

/** Degrees between a unit vector and another; exact for small angles too. */
export function angleBetween(a: Float64Array, x: number, y: number, z: number): number {
  const cross = Math.hypot(a[1] * z - a[2] * y, a[2] * x - a[0] * z, a[0] * y - a[1] * x);
  return Math.atan2(cross, a[0] * x + a[1] * y + a[2] * z) * DEGREES;
}
