import type { FieldInfo } from '@estampe/contracts';
import type { Ends, Field, FieldRows } from '@estampe/core';
import { INSIDE } from '@estampe/core';

/** Rows of a strip: blocks of the file, two parts of a swatch one above the other. */
export const STRIP_ROWS = 160;
/** Values of all tiles of a map together that are looked at while a range is chosen. */
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

type Sized = Pick<FieldInfo, 'width' | 'height' | 'min' | 'max' | 'ends' | 'spread'>;

/** What is looked at of the tiles of a map; null where all of it fits. Tiles begin at different strips, for they are often alike. */
export function samplesOf(fields: readonly Sized[]): readonly FieldSample[] | null {
  const values = fields.reduce((sum, f) => sum + f.width * f.height * channelsOfInfo(f), 0);
  const every = Math.ceil(values / MOST_VALUES);
  if (every <= 1) return null;
  return fields.map((f, i) => {
    const choice = Math.min(every, Math.ceil(f.height / STRIP_ROWS));
    return { first: Math.floor((((i + 1) * GOLDEN) % 1) * choice), every, ends: endsOf(f) };
  });
}

/** Fields from before there were spreads do not say how many channels they have. */
const channelsOfInfo = ({ ends, spread }: Sized): number => (ends.length > 0 ? ends.length : (spread?.counts.length ?? 3));

/** Ends of the channels; of fields from before these were kept the outer edges of bars that hold something, so that nothing is cut off. */
function endsOf({ ends, spread, min, max }: Sized): readonly Ends[] {
  if (ends.length > 0 || min === null || max === null) return ends;
  if (spread === null)
    return [
      { min, max },
      { min, max },
      { min, max },
    ];
  const x = (value: number): number => Math.min(max, Math.max(min, value));
  return spread.counts.map((bars) => {
    const edge = (bar: number): number => x(((2 * bar) / bars.length - 1) * spread.most);
    return { min: edge(bars.findIndex((n) => n > 0)), max: edge(bars.findLastIndex((n) => n > 0) + 1) };
  });
}

/** Reads the strips of a sample, one below the other, and below them a row with the ends of the whole field, so that ranges come out as from all of it. */
export async function readSample(rows: FieldRows, { first, every, ends }: FieldSample): Promise<Field> {
  const { width, height, channels } = rows;
  const starts: number[] = [];
  for (let y = first * STRIP_ROWS; y < height; y += every * STRIP_ROWS) starts.push(y);
  const counts = starts.map((y) => Math.min(STRIP_ROWS, height - y));
  const taken = counts.reduce((a, b) => a + b, 0);
  const values = new Float32Array(channels * width * (taken + 1));
  const coverage = new Uint8Array(width * (taken + 1));
  let at = 0;
  for (const [i, y] of starts.entries()) {
    const strip = await rows.read(y, counts[i]);
    values.set(strip.values, channels * width * at);
    coverage.set(strip.coverage, width * at);
    at += counts[i];
  }
  if (ends.length >= channels) {
    const last = fieldOfEnds(ends.slice(0, channels));
    values.set(last.values, channels * width * taken);
    coverage.set(last.coverage, width * taken);
  }
  return { width, height: taken + 1, channels, values, coverage };
}

/** Two texels: one of the lowest values, one of the highest. @param ends of one channel or of three */
export const fieldOfEnds = (ends: readonly Ends[]): Field => ({
  width: 2,
  height: 1,
  channels: ends.length as 1 | 3,
  values: Float32Array.from([...ends.map((e) => e.min), ...ends.map((e) => e.max)]),
  coverage: new Uint8Array(2).fill(INSIDE),
});

/** Row of the field that a row of its sample is. */
export const rowOfSample = ({ first, every }: FieldSample, y: number): number =>
  (first + Math.floor(y / STRIP_ROWS) * every) * STRIP_ROWS + (y % STRIP_ROWS);
