import type { EncodingSettings } from '@estampe/contracts';
import type { Encoding, Field } from '@estampe/core';
import { INSIDE, MISSED, STRIP_ROWS, TEXEL_GRID } from '@estampe/core';
import type { Marks } from './field-messages';
import { lookAtRest } from './lens';
import { MARK_CLIPPED, MARK_MISSED, MarkFinder } from './marks';
import { drawSwatch } from './swatch';

const SIDE = 160;
const findMarks = (field: Field, encoding: Encoding | null): Marks => {
  const { width, height, channels } = field;
  const finder = new MarkFinder(width, height, channels, encoding);
  finder.add(field, 0);
  return finder.found();
};
const eight: EncodingSettings = {
  depth: '8',
  midpoint: 128 / 255,
  scale: 25.5,
  fit: 'by hand',
  fileType: 'png',
  green: 'up',
  keepBlue: true,
  axes: '',
  each: null,
};
const float: EncodingSettings = { ...eight, depth: 'float', midpoint: 0, scale: 1, fileType: 'exr' };
/** A slope of one thousandth of a unit a texel, on texels of one unit: a step of 0.1 every hundred texels at 8 bit. */
const slope: Field = {
  width: SIDE,
  height: SIDE,
  channels: 1,
  values: Float32Array.from({ length: SIDE * SIDE }, (_, i) => 0.001 * (i % SIDE)),
  coverage: new Uint8Array(SIDE * SIDE).fill(INSIDE),
};

describe('the raking swatch', () => {
  it('shows a gentle slope as one even grey in floats, and as flats with an edge at 8 bit', () => {
    const swatch = drawSwatch(slope, new Float32Array(TEXEL_GRID * TEXEL_GRID).fill(1), [eight, float]);
    if (swatch === null) throw new Error('nothing drawn');
    const [coarse, fine] = swatch.pictures.map((p) => new Set(p.grey));
    expect(fine.size).toBe(1);
    expect(coarse.size).toBeGreaterThan(1);
    expect(Math.max(...coarse) - Math.min(...coarse)).toBeGreaterThan(40); // an edge that nobody overlooks
    expect(swatch.units).toBe(80);
  });
  it('has nothing to show where nothing is measured', () => {
    const bare = { ...slope, coverage: new Uint8Array(SIDE * SIDE) };
    expect(drawSwatch(bare, new Float32Array(TEXEL_GRID * TEXEL_GRID), [eight])).toBeNull();
  });
});

describe('the lens at rest', () => {
  it('counts what lies within ten steps, and tells whether rest is a code', () => {
    const lens = lookAtRest([slope], eight);
    expect(lens.step).toBeCloseTo(0.1, 9);
    expect(lens.inside).toBe(SIDE * SIDE); // 0 to 0.159, all inside half a unit
    expect(lens.counts.reduce((a, b) => a + b, 0)).toBe(lens.inside);
    expect(Math.min(...lens.codes.map(Math.abs))).toBeLessThan(1e-9);
    const quarter = lookAtRest([slope], eight, 0.25);
    expect([quarter.inside, quarter.isAbout, lens.isAbout]).toEqual([4 * lens.inside, true, false]);
    const half = lookAtRest([slope], { ...eight, midpoint: 0.5 });
    expect(Math.min(...half.codes.map(Math.abs))).toBeCloseTo(0.05, 6);
  });
});

describe('marks', () => {
  it('finds missed and clipped texels, and keeps a single one when many fall into one', () => {
    const coverage = slope.coverage.slice();
    coverage[0] = MISSED;
    const marks = findMarks({ ...slope, coverage }, { ...eight, midpoint: 0, scale: 0.1 });
    // heights from 0.1 on are beyond the range, with half a step of rounding: columns 101 to 159
    expect([marks.missed, marks.doubtful, marks.clipped]).toEqual([1, 0, 59 * SIDE]);
    expect(marks.classes[0]).toBe(MARK_MISSED);
    expect(marks.classes[SIDE - 1]).toBe(MARK_CLIPPED);
    const large: Field = {
      width: 4096,
      height: 2,
      channels: 1,
      values: new Float32Array(8192),
      coverage: new Uint8Array(8192).fill(INSIDE),
    };
    large.coverage[4095] = MISSED;
    const few = findMarks(large, null);
    expect(few.side).toBe(1024);
    expect(few.classes[1023]).toBe(MARK_MISSED);
  });

  it('marks the same strip by strip', () => {
    const noise: Field = { ...slope, values: slope.values.map((_, i) => 3 * Math.sin(i * 0.37)) };
    const encoding = { depth: '8', midpoint: 0.5, scale: 1.5 } as const;
    const strips = new MarkFinder(SIDE, SIDE, 1, encoding);
    for (let y = 0; y < SIDE; y += 50) {
      const [from, to] = [SIDE * y, SIDE * Math.min(SIDE, y + 50)];
      strips.add(
        { ...noise, height: (to - from) / SIDE, values: noise.values.slice(from, to), coverage: noise.coverage.slice(from, to) },
        y,
      );
    }
    const whole = findMarks(noise, encoding);
    expect(strips.found()).toEqual(whole);
    expect(whole.clipped).toBeGreaterThan(1000);
  });

  it('shows of a sample only what lies together on the surface, and says where in the field', () => {
    // strips 1 and 3 of a field, and their ends: flat but for a gentle slope in the second of them
    const [rows, side] = [2 * STRIP_ROWS + 1, 90];
    const values = Float32Array.from({ length: side * rows }, (_, i) => {
      const y = Math.floor(i / side);
      return y === rows - 1 ? 9 : Math.max(0, 0.001 * (y - STRIP_ROWS - 60));
    });
    const sample: Field = { width: side, height: rows, channels: 1, values, coverage: new Uint8Array(side * rows).fill(INSIDE) };
    const swatch = drawSwatch(sample, new Float32Array(TEXEL_GRID * TEXEL_GRID).fill(1), [eight], { first: 1, every: 2, ends: [] });
    expect(swatch?.at).toEqual([0, 3 * STRIP_ROWS + 80]);
  });
});
