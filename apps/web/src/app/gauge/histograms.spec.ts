import { sampleField } from '../../../test/samples';
import { histogramRows, mergeHistograms, recordedHistogram } from './histograms';

const of = (from: number, to: number, counts: number[]) => ({
  from,
  to,
  counts: Uint32Array.from(counts),
  total: counts.reduce((a, b) => a + b, 0),
});

describe('what a field says of its spread', () => {
  it('covers what was measured and 0, and nothing in fields that do not say', () => {
    const spread = { most: 4, counts: [[0, 0, 0, 0, 5, 6, 7, 8]] };
    expect(recordedHistogram(sampleField({ min: 0.5, max: 4, spread }), '')).toEqual(of(0, 4, [5, 6, 7, 8]));
    expect(recordedHistogram(sampleField({ min: 0.5, max: 2.5, spread: { ...spread, counts: [[0, 0, 0, 0, 5, 6, 7, 0]] } }), '')).toEqual(of(0, 3, [5, 6, 7])); // prettier-ignore
    expect(recordedHistogram(sampleField(), '')).toBeNull();
    expect(recordedHistogram(sampleField({ min: 0, max: 0, spread: { most: 0, counts: [[3, 0]] } }), '')).toEqual(of(-0.5, 0.5, [3, 0]));
  });
  it('takes components together, turned round where the file holds them against their axis', () => {
    const spread = { most: 1, counts: [[1, 0, 0, 0], [0, 2, 0, 0], [0, 0, 0, 4]] }; // prettier-ignore
    const field = sampleField({ min: -1, max: 1, spread });
    expect(recordedHistogram(field, '')).toEqual(of(-1, 1, [1, 2, 0, 4]));
    expect(recordedHistogram(field, 'R=-U G=+N B=+V')).toEqual(of(-1, 1, [0, 2, 0, 5]));
  });
});

describe('histograms of several tiles', () => {
  it('lie over one range, each texel counted once and in its place', () => {
    const merged = mergeHistograms([of(0, 4, [1, 2, 3, 4]), of(-4, 0, [5, 6, 7, 8])]);
    expect(merged).toEqual(of(-4, 4, [11, 15, 3, 7]));
    expect(mergeHistograms([of(1, 1, [3, 0]), of(1, 1, [4, 0])])).toEqual(of(1, 1, [7, 0])); // one value only
  });
  it('have a table whose rows hold all texels, also when the rows do not divide the steps', () => {
    const rows = histogramRows(of(0, 10, [1, 2, 3, 4, 5, 6, 7, 8, 9, 10]), 4);
    expect(rows.map((r) => r.from)).toEqual(['0', '2.5', '5', '7.5']);
    expect(rows.map((r) => Number(r.texels)).reduce((a, b) => a + b)).toBe(55);
    expect(rows.at(-1)?.share).toBe('34.55 %');
  });
});
