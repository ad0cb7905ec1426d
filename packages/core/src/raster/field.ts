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
export function fieldCounts(field: Field): FieldCounts {
  const { coverage } = field;
  const of = new Uint32Array(256);
  for (let i = 0; i < coverage.length; i++) of[coverage[i]]++;
  const ends = endsOf(field).filter(({ min, max }) => min <= max);
  return {
    covered: of[INSIDE] + of[DOUBTFUL] + of[MENDED],
    missed: of[MISSED],
    doubtful: of[DOUBTFUL],
    mended: of[MENDED],
    min: ends.length === 0 ? null : Math.min(...ends.map(({ min }) => min)),
    max: ends.length === 0 ? null : Math.max(...ends.map(({ max }) => max)),
    ends,
  };
}

/** Smallest and largest value of each channel over texels of class 1; Infinity and -Infinity where there are none. */
function endsOf({ values, coverage, channels }: Field): Ends[] {
  const least = new Float32Array(channels).fill(Infinity);
  const most = new Float32Array(channels).fill(-Infinity);
  for (let t = 0, i = 0; t < coverage.length; t++, i += channels) {
    if (coverage[t] !== INSIDE) continue;
    for (let k = 0; k < channels; k++) {
      const x = values[i + k];
      if (x < least[k]) least[k] = x;
      if (x > most[k]) most[k] = x;
    }
  }
  return Array.from(least, (min, k) => ({ min, max: most[k] }));
}
