import type { Threads } from '../runtime/threads';
import { isSeenByAll } from '../runtime/threads';

/** Coverage classes of a texel. */
export const OUTSIDE = 0;
export const INSIDE = 1;
export const PADDING = 2;
export const MISSED = 3;
export const DOUBTFUL = 4;
export const MENDED = 5;

/** Whether a texel holds a value of its own: inside, doubtful or mended. */
export const isMeasured = (c: number): boolean => c === INSIDE || c === DOUBTFUL || c === MENDED;

/** Whether all threads can work on a field where it lies, and there is more than one. */
export const isForAll = ({ values, coverage }: Field, { count }: Pick<Threads, 'count'>): boolean =>
  count > 1 && isSeenByAll(values) && isSeenByAll(coverage);

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
