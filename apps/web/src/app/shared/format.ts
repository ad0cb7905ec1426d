/** Numbers for the screen: a fixed number of significant digits, and a minus that can be pasted anywhere. */
export function significant(x: number | null | undefined, digits = 4): string {
  if (x === null || x === undefined || !Number.isFinite(x)) return '–';
  if (x === 0) return '0';
  const a = Math.abs(x);
  return a >= 1e6 || a < 1e-5
    ? x.toExponential(digits - 1)
    : Number(x.toPrecision(digits)).toLocaleString('en', { maximumSignificantDigits: digits, useGrouping: false });
}

/** 1 310 720, 82 k, 1.31 M: short enough for a rung. */
export function count(n: number): string {
  return n.toLocaleString('en').replaceAll(',', '\u2009');
}

export function percent(share: number | null | undefined, digits = 2): string {
  if (share === null || share === undefined) return '–';
  if (share > 0 && share < 10 ** -(digits + 2)) return `<${(10 ** -digits).toFixed(digits)} %`;
  // zeros go only behind a point: 80 is not 8
  return `${Number((100 * share).toFixed(digits))} %`;
}

export function bytes(n: number): string {
  if (n >= 1e9) return `${(n / 1e9).toFixed(1)} GB`;
  return n < 1e6 ? `${(n / 1e3).toFixed(0)} kB` : `${(n / 1e6).toFixed(n < 1e8 ? 1 : 0)} MB`;
}

/** 0:07, 2:05. */
export function clock(seconds: number): string {
  const s = Math.max(0, Math.round(seconds));
  return `${Math.floor(s / 60)}:${String(s % 60).padStart(2, '0')}`;
}

/** A typed number; the comma of many keyboards counts as a point, a fraction such as 128/255 is worked out. Null when it is none. */
export function parseNumber(text: string): number | null {
  const plain = text.trim().replace('\u2212', '-').replace(',', '.');
  const fraction = /^([\d.]+)\s*\/\s*([\d.]+)$/.exec(plain);
  const x = fraction ? Number(fraction[1]) / Number(fraction[2]) : plain === '' ? NaN : Number(plain);
  return Number.isFinite(x) ? x : null;
}
