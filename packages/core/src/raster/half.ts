/** IEEE 754 binary16, round to nearest even, by the bits of a float32. Finite values beyond 65504 become the largest half. */
export function floatBitsToHalf(bits: number): number {
  const sign = (bits >>> 16) & 0x8000;
  const exponent = (bits >>> 23) & 0xff;
  let mantissa = bits & 0x7fffff;
  if (exponent === 0xff) return sign | (mantissa === 0 ? 0x7c00 : 0x7e00);
  const e = exponent - 112;
  if (e >= 31) return sign | 0x7bff;
  if (e <= 0) {
    if (e < -10) return sign;
    mantissa |= 0x800000;
    const shift = 14 - e;
    return sign | roundShift(mantissa, shift);
  }
  const h = roundShift(mantissa | (e << 23), 13);
  return sign | Math.min(h, 0x7bff);
}

function roundShift(x: number, shift: number): number {
  const kept = x >>> shift;
  const rest = x & ((1 << shift) - 1);
  const half = 1 << (shift - 1);
  return rest > half || (rest === half && (kept & 1) === 1) ? kept + 1 : kept;
}

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
