import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Kernel, Range, Threads } from '../runtime/threads';
import { partsFor } from '../runtime/threads';
import type { Field } from './field';
import { DOUBTFUL, INSIDE, isForAll, MENDED, MISSED } from './field';

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
export const fieldCounts = (field: Field): FieldCounts => countsOf([tally(field, { from: 0, to: field.coverage.length })]);

/** The same; where all threads see the field, all of them count. @throws CancelledError */
export async function fieldCountsByThreads(field: Field, threads: Threads, control?: RunControl): Promise<FieldCounts> {
  if (!isForAll(field, threads)) return fieldCounts(field);
  const tallies: Tally[] = [];
  await threads.run(countTexels, field, partsFor(field.coverage.length, threads), (counted) => tallies.push(counted), stopOf(control));
  return countsOf(tallies);
}

/** Of some texels of a field, row by row. */
interface Tally {
  readonly texels: Uint32Array; // of each class
  readonly least: Float32Array; // of each channel over class 1; Infinity and -Infinity where there are none
  readonly most: Float32Array;
}

export const countTexels: Kernel<Field, Range, Tally> = { name: 'count-texels', run: tally };

function tally({ values, coverage, channels }: Field, { from, to }: Range): Tally {
  const texels = new Uint32Array(256);
  const least = new Float32Array(channels).fill(Infinity);
  const most = new Float32Array(channels).fill(-Infinity);
  for (let t = from, i = channels * from; t < to; t++, i += channels) {
    texels[coverage[t]]++;
    if (coverage[t] !== INSIDE) continue;
    for (let k = 0; k < channels; k++) {
      const x = values[i + k];
      if (x < least[k]) least[k] = x;
      if (x > most[k]) most[k] = x;
    }
  }
  return { texels, least, most };
}

function countsOf(tallies: readonly Tally[]): FieldCounts {
  const of = (wanted: number): number => tallies.reduce((sum, { texels }) => sum + texels[wanted], 0);
  const channels = tallies[0].least.length;
  const ends = Array.from({ length: channels }, (_, k) => ({
    min: Math.min(...tallies.map(({ least }) => least[k])),
    max: Math.max(...tallies.map(({ most }) => most[k])),
  })).filter(({ min, max }) => min <= max);
  return {
    covered: of(INSIDE) + of(DOUBTFUL) + of(MENDED),
    missed: of(MISSED),
    doubtful: of(DOUBTFUL),
    mended: of(MENDED),
    min: ends.length === 0 ? null : Math.min(...ends.map(({ min }) => min)),
    max: ends.length === 0 ? null : Math.max(...ends.map(({ max }) => max)),
    ends,
  };
}
