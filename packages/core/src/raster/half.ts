/** IEEE 754 binary16, round to nearest even, by the bits of a float32. Finite values beyond 65504 become the largest half. */
export function floatBitsToHalf(bits: number): number {
  const sign = (bits >>> 16) & 0x8000;
  const size = bits & 0x7fffffff;
  if (size >= LEAST_NORMAL) {
    if (size >= INFINITE) return sign | (size === INFINITE ? 0x7c00 : 0x7e00);
    // other exponents begin at zero; what is cut off is rounded by carrying into what is kept
    const h = (size - REBASE + 0xfff + ((size >>> 13) & 1)) >>> 13;
    return sign | (h < 0x7bff ? h : 0x7bff);
  }
  if (size < HALF_OF_LEAST) return sign;
  const shift = 126 - (size >>> 23);
  const mantissa = (size & 0x7fffff) | 0x800000;
  return sign | ((mantissa + (1 << (shift - 1)) - 1 + ((mantissa >>> shift) & 1)) >>> shift);
}

// float32 bits: 2^-14, 2^-25, infinity, and how far the exponents of both are apart
const LEAST_NORMAL = 0x38800000;
const HALF_OF_LEAST = 0x33000000;
const INFINITE = 0x7f800000;
const REBASE = 0x38000000;

const narrowed = new Float32Array(1);
const narrowedBits = new Uint32Array(narrowed.buffer);

/** The half of a number, by way of its float32. */
export function halfOf(x: number): number {
  narrowed[0] = x;
  return floatBitsToHalf(narrowedBits[0]);
}

/** Halves of float32 values. @returns uint16[N] */
export function toHalf(values: Float32Array): Uint16Array {
  const bits = new Uint32Array(values.buffer, values.byteOffset, values.length);
  const out = new Uint16Array(values.length);
  for (let i = 0; i < out.length; i++) out[i] = floatBitsToHalf(bits[i]);
  return out;
}

export function halfToFloat(h: number): number {
  const sign = h & 0x8000 ? -1 : 1;
  const e = (h >>> 10) & 31;
  const m = h & 1023;
  if (e === 31) return m === 0 ? sign * Infinity : NaN;
  return sign * (e === 0 ? m * 2 ** -24 : (1024 + m) * 2 ** (e - 25));
}

/** Float32 of all 65,536 halves; made with the first use. */
let table: Float32Array | null = null;

/** The float32 of each half. */
export const halfTable = (): Float32Array => (table ??= Float32Array.from({ length: 65536 }, (_, h) => halfToFloat(h)));

/** Float32 values of halves. */
export function fromHalf(halves: Uint16Array): Float32Array {
  const floats = halfTable();
  const out = new Float32Array(halves.length);
  for (let i = 0; i < out.length; i++) out[i] = floats[halves[i]];
  return out;
}
