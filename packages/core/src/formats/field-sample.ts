import { fieldOfEnds } from '../raster/extremes';
import type { Field } from '../raster/field';
import type { Ends } from '../raster/field-counts';
import type { FieldRows } from './field-rows';

/** Rows of a strip: blocks of the file, and enough for a part of the surface to be looked at. */
export const STRIP_ROWS = 160;
/** Values of all tiles of a map together that are looked at. */
const MOST_VALUES = 2 ** 24;
/** Neighbouring terms of multiples of it lie far apart (Kronecker sequence of the golden ratio). */
const GOLDEN = 0.618034;

/** Which strips of a field are looked at: from `first` on one in `every`. */
export interface FieldSample {
  readonly first: number;
  readonly every: number;
  /** Of each channel, over the whole field; empty where nothing is inside. */
  readonly ends: readonly Ends[];
}

/** What is looked at of the tiles of a map; null where all of it fits. Tiles begin at different strips, for they are often alike. */
export function fieldSamples(
  fields: readonly (Pick<Field, 'width' | 'height'> & { readonly channels: number; readonly ends: readonly Ends[] })[],
): readonly FieldSample[] | null {
  const values = fields.reduce((sum, f) => sum + f.width * f.height * f.channels, 0);
  const every = Math.ceil(values / MOST_VALUES);
  if (every <= 1) return null;
  return fields.map(({ height, ends }, i) => {
    const choice = Math.min(every, Math.ceil(height / STRIP_ROWS));
    return { first: Math.floor((((i + 1) * GOLDEN) % 1) * choice), every, ends };
  });
}

/** Reads the strips of a sample, one below the other, and below them a row with the ends of the whole field: every range but a clipped one comes out
 *  as from all of it. */
export async function readSample(rows: FieldRows, { first, every, ends }: FieldSample): Promise<Field> {
  const { width, height, channels } = rows;
  const starts: number[] = [];
  for (let y = first * STRIP_ROWS; y < height; y += every * STRIP_ROWS) starts.push(y);
  const taken = starts.reduce((sum, y) => sum + Math.min(STRIP_ROWS, height - y), 0);
  const values = new Float32Array(channels * width * (taken + 1));
  const coverage = new Uint8Array(width * (taken + 1));
  const put = (field: Field, at: number): void => {
    values.set(field.values, channels * width * at);
    coverage.set(field.coverage, width * at);
  };
  let at = 0;
  for (const y of starts) {
    const strip = await rows.read(y, STRIP_ROWS);
    put(strip, at);
    at += strip.height;
  }
  put(fieldOfEnds(ends.slice(0, channels), channels), taken);
  return { width, height: taken + 1, channels, values, coverage };
}

/** Row of the field that a row of its sample is. */
export const rowOfSample = ({ first, every }: FieldSample, y: number): number =>
  (first + Math.floor(y / STRIP_ROWS) * every) * STRIP_ROWS + (y % STRIP_ROWS);
