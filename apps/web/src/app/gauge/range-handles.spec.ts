import type { EncodingSettings } from '@estampe/contracts';
import { bytes, clock, count, parseNumber, percent, significant } from '../shared/format';
import { moveHandle, rangeOf } from './range-handles';

const encoding: EncodingSettings = {
  depth: 'half',
  midpoint: 0.5,
  scale: 8,
  fit: 'symmetric',
  fileType: 'exr',
  green: 'up',
  keepBlue: true,
  axes: '',
  each: null,
};

describe('Gauge handles', () => {
  it('moves one end and leaves the other', () => {
    const moved = moveHandle(encoding, 'high', 6);
    expect(rangeOf(moved).high).toBeCloseTo(6, 12);
    expect(rangeOf(moved).low).toBeCloseTo(-4, 12);
    expect(moved.fit).toBe('by hand');
  });
  it('never lets rest leave the range, nor the ends cross', () => {
    for (const name of ['low', 'high', 'midpoint'] as const)
      for (const units of [-100, -4, 0, 4, 100]) {
        const { midpoint, scale } = moveHandle(encoding, name, units);
        expect(scale).toBeGreaterThan(0);
        expect(midpoint).toBeGreaterThanOrEqual(0);
        expect(midpoint).toBeLessThanOrEqual(1);
      }
  });
  it('keeps the midpoint of integer depths on a code', () => {
    const code = moveHandle({ ...encoding, depth: '8' }, 'midpoint', 0.337).midpoint * 255;
    expect(code).toBeCloseTo(Math.round(code), 9);
    expect(moveHandle(encoding, 'midpoint', 1).midpoint).toBeCloseTo(0.625, 12);
  });
});

describe('numbers for the screen', () => {
  it('shows digits that can be compared, and reads what people type', () => {
    expect([significant(0.000314159), significant(-1234.567, 3), significant(0), significant(null), significant(3.2e-9, 2)]).toEqual([
      '0.0003142',
      '-1230',
      '0',
      '–',
      '3.2e-9',
    ]);
    expect([percent(0.12345), percent(0), percent(1e-6), percent(null), percent(0.8, 0), percent(1, 0)]).toEqual([
      '12.35 %',
      '0 %',
      '<0.01 %',
      '–',
      '80 %',
      '100 %',
    ]);
    expect([bytes(1234), bytes(6.4e6), clock(125), count(1310720)]).toEqual(['1 kB', '6.4 MB', '2:05', '1\u2009310\u2009720']);
    expect([parseNumber('0,5'), parseNumber('\u22122.5'), parseNumber('128/255'), parseNumber('abc'), parseNumber('')]).toEqual([
      0.5,
      -2.5,
      128 / 255,
      null,
      null,
    ]);
  });
});
