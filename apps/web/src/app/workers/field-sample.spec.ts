import type { FieldInfo } from '@estampe/contracts';
import type { Depth, Field, FieldRows } from '@estampe/core';
import { fieldCounts, fieldSpread, fitEncoding, INSIDE, MISSED, parseFit, parseAxes, PLAIN_ORDER } from '@estampe/core';
import { sampleEncoding, sampleField } from '../../../test/samples';
import type { FieldSample } from './field-sample';
import { readSample, rowOfSample, samplesOf, STRIP_ROWS } from './field-sample';
import { MarkFinder } from './marks';
import { drawSwatch } from './swatch';

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

  it('holds the ends of fields from before these were kept, and no more than a bar beyond', () => {
    const field = fieldOf(3);
    const { ends, ...counts } = fieldCounts(field);
    const old: FieldInfo = sampleField({ width: 8192, height: 8192, ...counts, ends: [], spread: fieldSpread(field) });
    const [{ ends: found, every }] = samplesOf([old]) ?? [];
    expect(every).toBe(12); // three channels
    const bar = fieldSpread(field).most / 160;
    for (const [k, { min, max }] of ends.entries()) {
      expect(found[k].min).toBeLessThanOrEqual(min);
      expect(found[k].min).toBeGreaterThan(min - bar - 1e-6);
      expect(found[k].max).toBeGreaterThanOrEqual(max);
      expect(found[k].max).toBeLessThan(max + bar + 1e-6);
    }
    expect(samplesOf([sampleField({ width: 4096, height: 4096 })])).toBeNull();
  });

  it('shows as terraces only what lies together on the surface, and says where in the field', async () => {
    // flat but for a slope across the seam of two strips, which no swatch may show, and a gentle one in the third
    const heights = Float32Array.from({ length: W * H }, (_, i) => {
      const y = Math.floor(i / W);
      return y >= 2 * STRIP_ROWS + 60 && y < 3 * STRIP_ROWS ? 0.001 * (y - 2 * STRIP_ROWS - 60) : 0;
    });
    const field: Field = { width: W, height: H, channels: 1, values: heights, coverage: new Uint8Array(W * H).fill(INSIDE) };
    const own = sample(field);
    const part = await readSample(rowsOf(field), own);
    const swatch = drawSwatch(part, new Float32Array(4096).fill(1), [sampleEncoding({ depth: '8', scale: 25.5 })], own);
    expect(swatch?.at).toEqual([0, 2 * STRIP_ROWS + 80]);
  });
});

describe('marks', () => {
  it('are the same strip by strip', () => {
    const field = fieldOf(1);
    const encoding = { depth: '8', midpoint: 0.5, scale: 1.5 } as const;
    const [whole, strips] = [new MarkFinder(W, H, 1, encoding), new MarkFinder(W, H, 1, encoding)];
    whole.add(field, 0);
    for (let y = 0; y < H; y += 100) strips.add(rowsFrom(field, y, 100), y);
    expect(strips.found()).toEqual(whole.found());
    expect(whole.found().clipped).toBeGreaterThan(1000);
    expect(whole.found().missed).toBe(20);
  });
});
