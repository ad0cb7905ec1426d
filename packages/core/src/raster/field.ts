/** Coverage classes of a texel. */
export const OUTSIDE = 0;
export const INSIDE = 1;
export const PADDING = 2;
export const MISSED = 3;
export const DOUBTFUL = 4;
export const MENDED = 5;

/** Whether a texel holds a value of its own: inside, doubtful or mended. */
export const isMeasured = (c: number): boolean => c === INSIDE || c === DOUBTFUL || c === MENDED;

/** How many texels are of a class. */
export function countOf(coverage: Uint8Array, wanted: number): number {
  let count = 0;
  for (let t = 0; t < coverage.length; t++) if (coverage[t] === wanted) count++;
  return count;
}

/** A measured raster in scene units; rows from the top, values interleaved. */
export interface Field {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  readonly values: Float32Array; // channels x W x H
  readonly coverage: Uint8Array; // W x H
}

/** A field of nothing: all texels outside, all values 0. */
export const emptyField = (width: number, height: number, channels: 1 | 3): Field => ({
  width,
  height,
  channels,
  values: new Float32Array(channels * width * height),
  coverage: new Uint8Array(width * height),
});

/** Stored values of a map as read from a file, 0..1 for integers, as written for floats. */
export interface Raster {
  readonly width: number;
  readonly height: number;
  readonly channels: number;
  readonly values: Float32Array; // channels x W x H, rows from the top
}

/** Smallest and largest value of a channel. */
export interface Ends {
  readonly min: number;
  readonly max: number;
}

export interface FieldCounts {
  readonly covered: number;
  readonly missed: number;
  readonly doubtful: number;
  readonly mended: number;
  /** Smallest and largest value over texels of class 1; null when there are none. */
  readonly min: number | null;
  readonly max: number | null;
  /** The same of each channel; empty when there are none. */
  readonly ends: readonly Ends[];
}

/** Texel counts and the value range over class 1. `covered` counts texels with a measured value: inside, doubtful, mended. */
export function fieldCounts({ values, coverage, channels }: Field): FieldCounts {
  let covered = 0;
  let missed = 0;
  let doubtful = 0;
  let mended = 0;
  const lows = [Infinity, Infinity, Infinity];
  const highs = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < coverage.length; i++) {
    const c = coverage[i];
    if (c === MISSED) missed++;
    if (c === DOUBTFUL) doubtful++;
    if (c === MENDED) mended++;
    if (c === INSIDE || c === DOUBTFUL || c === MENDED) covered++;
    if (c !== INSIDE) continue;
    for (let k = 0; k < channels; k++) {
      const x = values[channels * i + k];
      if (x < lows[k]) lows[k] = x;
      if (x > highs[k]) highs[k] = x;
    }
  }
  const ends = lows.flatMap((min, k) => (min <= highs[k] ? [{ min, max: highs[k] }] : []));
  const found = ends.length > 0;
  return { covered, missed, doubtful, mended, min: found ? Math.min(...lows) : null, max: found ? Math.max(...highs) : null, ends };
}
