import type { Depth, Field, FieldRows, FieldSample } from '../src';
import { fieldCounts, fieldSamples, fitEncoding, INSIDE, MISSED, parseAxes, parseFit, PLAIN_ORDER, readSample, rowOfSample, STRIP_ROWS } from '../src'; // prettier-ignore

const W = 90;
const H = 4 * STRIP_ROWS + 30;
/** Of another size in each channel; its ends lie in the second strip, which the sample leaves out. */
function fieldOf(channels: 1 | 3): Field {
  const values = Float32Array.from({ length: channels * W * H }, (_, i) => (1 + (i % channels)) * Math.sin(i * 0.37));
  values[channels * W * (STRIP_ROWS + 40)] = 31;
  values[channels * W * (STRIP_ROWS + 50) + channels - 1] = -7;
  const coverage = new Uint8Array(W * H).fill(INSIDE);
  coverage.fill(MISSED, 3 * W * STRIP_ROWS, 3 * W * STRIP_ROWS + 20);
  return { width: W, height: H, channels, values, coverage };
}
const rowsOf = (field: Field): FieldRows => ({
  ...field,
  record: {},
  texelSizes: null,
  read: (first, count) => Promise.resolve(rowsFrom(field, first, count)),
});
function rowsFrom({ channels, values, coverage }: Field, first: number, count: number): Field {
  const [from, to] = [W * first, W * Math.min(H, first + count)];
  const own = { values: values.slice(channels * from, channels * to), coverage: coverage.slice(from, to) };
  return { width: W, height: (to - from) / W, channels, ...own };
}
const sample = (field: Field): FieldSample => ({ first: 0, every: 2, ends: fieldCounts(field).ends });

describe('a sample of a field', () => {
  it('is strips of its rows, and a row with the ends of all of it', async () => {
    const field = fieldOf(1);
    const own = sample(field);
    const { height, values, coverage } = await readSample(rowsOf(field), own);
    expect(height).toBe(2 * STRIP_ROWS + 30 + 1);
    for (const y of [0, STRIP_ROWS - 1, STRIP_ROWS, 2 * STRIP_ROWS + 29])
      expect(values[W * y + 3]).toBe(field.values[W * rowOfSample(own, y) + 3]);
    expect(rowOfSample(own, STRIP_ROWS + 5)).toBe(2 * STRIP_ROWS + 5);
    expect([...values.subarray(W * (height - 1), W * (height - 1) + 2)]).toEqual([-7, 31]);
    expect([...coverage.subarray(W * (height - 1), W * (height - 1) + 3)]).toEqual([INSIDE, INSIDE, 0]);
  });

  it.each(['symmetric', 'full', 'symmetric,rounded'])('has the ranges of the whole: %s', async (fit) => {
    for (const channels of [1, 3] as const) {
      const field = fieldOf(channels);
      const part = await readSample(rowsOf(field), sample(field));
      const wish = { depth: '16' as Depth, fit: parseFit(fit), midpoint: null, scale: null, kind: channels === 1 ? 'scalar' : 'vector' };
      for (const axes of [PLAIN_ORDER, parseAxes('R=-V G=+N B=+U', 'UVN')])
        for (const each of channels === 1 ? [false] : [false, true])
          expect(fitEncoding([part], { ...wish, axes, each })).toEqual(fitEncoding([field], { ...wish, axes, each }));
    }
  });

  it('is of about as many values whatever the tiles, and of other strips in each', () => {
    const tile = { width: 8192, height: 8192, channels: 1, ends: [] };
    expect(fieldSamples([{ ...tile, width: 4096, height: 4096 }])).toBeNull();
    expect(fieldSamples([{ ...tile, channels: 3 }])?.[0].every).toBe(12);
    const strips = fieldSamples(new Array<typeof tile>(40).fill(tile)) ?? [];
    expect(new Set(strips.map((s) => s.every))).toEqual(new Set([160]));
    expect(strips.every((s) => s.first < Math.ceil(8192 / STRIP_ROWS))).toBe(true);
    expect(new Set(strips.map((s) => s.first)).size).toBeGreaterThan(20);
  });
});
