import type { ByteWriter } from '../runtime/growable';

/** Exact powers of ten: every 10^k with k <= 22 is a double. */
export const POW10 = Float64Array.from({ length: 23 }, (_, k) => Number(`1e${k}`));

/** Writes a float32 with the fewest digits that read back equal.
 *  m / 10^k with m < 2^53 and k <= 22 is correctly rounded (Clinger 1990), so trying m needs no string. */
export function writeFloat32(out: ByteWriter, x: number): void {
  if (x === 0) {
    out.byte(48);
    return;
  }
  const ax = Math.abs(x);
  if (x < 0) out.byte(45);
  if (ax >= 1e9 || ax < 1e-4) {
    out.text(shortestFloat32(ax));
    return;
  }
  const e10 = Math.floor(Math.log10(ax));
  for (let digits = 6; digits <= 9; digits++) {
    let k = digits - 1 - e10;
    if (k < 0) k = 0;
    let m = Math.round(ax * POW10[k]);
    if (digits < 9 && Math.fround(m / POW10[k]) !== ax) continue;
    while (k > 0 && m % 10 === 0) {
      m /= 10;
      k--;
    }
    const whole = Math.floor(m / POW10[k]);
    writeInteger(out, whole);
    if (k > 0) {
      out.byte(46);
      const buffer = out.reserve(k);
      let rest = m - whole * POW10[k];
      for (let i = k - 1; i >= 0; i--) {
        const q = Math.floor(rest / 10);
        buffer[out.length + i] = 48 + (rest - q * 10);
        rest = q;
      }
      out.length += k;
    }
    return;
  }
}

/** Fewest digits by trial, for the very large and the very small. */
export function shortestFloat32(ax: number): string {
  for (let digits = 1; digits < 9; digits++) {
    const s = Number(ax.toPrecision(digits));
    if (Math.fround(s) === ax) return String(s);
  }
  return String(Number(ax.toPrecision(9)));
}

export function writeInteger(out: ByteWriter, n: number): void {
  let digits = 1;
  while (digits < 16 && n >= POW10[digits]) digits++;
  const buffer = out.reserve(digits);
  for (let i = digits - 1; i >= 0; i--) {
    const q = Math.floor(n / 10);
    buffer[out.length + i] = 48 + (n - q * 10);
    n = q;
  }
  out.length += digits;
}
