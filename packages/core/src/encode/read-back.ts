import type { Field, Raster } from '../raster/field';
import { INSIDE } from '../raster/field';
import type { Encoding } from './encoding';
import { channelEncoding, decodeValue } from './encoding';

/** How far a written map lies from the field it was made of, over class 1; in the field's unit. */
export interface ReadBack {
  readonly covered: number;
  /** Null where nothing is covered. */
  readonly difference: { readonly rms: number; readonly max: number } | null;
}

/** @param pairs fields, each with the stored values as they were read from the file, channels in the field's order; one tile after another */
export async function readBack(
  pairs: Iterable<readonly [Field, Raster]> | AsyncIterable<readonly [Field, Raster]>,
  encoding: Encoding,
): Promise<ReadBack> {
  const encodings = [0, 1, 2].map((k) => channelEncoding(encoding, k));
  let covered = 0;
  let squares = 0;
  let count = 0;
  let max = 0;
  for await (const [{ channels, values, coverage }, raster] of pairs)
    for (let i = 0; i < coverage.length; i++) {
      if (coverage[i] !== INSIDE) continue;
      covered++;
      for (let k = 0; k < channels; k++) {
        const off = Math.abs(decodeValue(encodings[k], raster.values[raster.channels * i + k]) - values[channels * i + k]);
        squares += off * off;
        count++;
        if (off > max) max = off;
      }
    }
  return { covered, difference: count === 0 ? null : { rms: Math.sqrt(squares / count), max } };
}
