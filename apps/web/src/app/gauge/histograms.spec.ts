import { histogramRows, mergeHistograms } from './histograms';

const of = (from: number, to: number, counts: number[]) => ({
  from,
  to,
  counts: Uint32Array.from(counts),
  total: counts.reduce((a, b) => a + b, 0),
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
