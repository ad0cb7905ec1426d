import type { Field } from '@estampe/core';
import { fieldCounts, fieldSpread, INSIDE } from '@estampe/core';
import { sampleField } from '../../../test/samples';
import { channelsOfField, endsOfField } from './field-ends';

describe('ends of a field', () => {
  const values = Float32Array.from({ length: 3000 }, (_, i) => (1 + (i % 3)) * Math.sin(i * 0.37));
  const field: Field = { width: 100, height: 10, channels: 3, values, coverage: new Uint8Array(1000).fill(INSIDE) };
  const { ends, ...counts } = fieldCounts(field);

  it('are those that are kept', () => {
    expect(endsOfField(sampleField({ ...counts, ends: [...ends] }))).toEqual(ends);
  });

  it('hold those of fields from before, and no more than a bar beyond', () => {
    const old = sampleField({ ...counts, ends: [], spread: fieldSpread(field) });
    expect(channelsOfField(old)).toBe(3);
    const found = endsOfField(old);
    const bar = fieldSpread(field).most / 160;
    for (const [k, { min, max }] of ends.entries()) {
      expect(found[k].min).toBeLessThanOrEqual(min);
      expect(found[k].min).toBeGreaterThan(min - bar - 1e-6);
      expect(found[k].max).toBeGreaterThanOrEqual(max);
      expect(found[k].max).toBeLessThan(max + bar + 1e-6);
    }
    // older yet: nothing is known but both ends of all
    const { min, max } = counts;
    expect(endsOfField(sampleField({ ...counts, ends: [], spread: null }))).toEqual([{ min, max }, { min, max }, { min, max }]); // prettier-ignore
  });
});
