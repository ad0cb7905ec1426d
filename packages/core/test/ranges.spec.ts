import type { Depth, Field } from '../src';
import { encodingOf, encodeMap, extremesOf, fitEncoding, fitRange, INSIDE, MISSED, PADDING, parseFit, PLAIN_ORDER, readBack, fieldRecordOf } from '../src'; // prettier-ignore
import { roundUp } from '../src/encode/fit';
import type { Fit, RangeWish } from '../src/encode/fit';
import { known, random } from './shapes';

const fieldOf = (values: number[], channels: 1 | 3 = 1, coverage?: number[]): Field => ({
  width: values.length / channels,
  height: 1,
  channels,
  values: Float32Array.from(values),
  coverage: Uint8Array.from(coverage ?? values.slice(0, values.length / channels).map(() => INSIDE)),
});
const fit = (kind: Fit['kind'], change: Partial<Fit> = {}): Fit => ({ kind, share: 0, rounded: false, ...change });
const ends = ({ midpoint, scale }: { midpoint: number; scale: number }): [number, number] => [-midpoint * scale, (1 - midpoint) * scale];

describe('fits as text', () => {
  it.each([
    ['measured', fit('measured')],
    ['symmetric,rounded', fit('symmetric', { rounded: true })],
    ['clip:0.002', fit('clip', { share: 0.002 })],
    ['clip:1e-3,rounded', fit('clip', { share: 0.001, rounded: true })],
  ])('%s', (text, expected) => expect(parseFit(text)).toEqual(expected));

  it.each(['', 'clip', 'clip:1', 'clip:-0.1', 'clip:x', 'full,', 'rounded', 'symmetric, rounded', 'Full'])('%j is none', (text) =>
    expect(() => parseFit(text)).toThrow(/is not known; use measured, symmetric, full or clip:SHARE/),
  );
});

describe('a range from a field', () => {
  const field = fieldOf([-1, 0.5, 3]);

  it.each<Depth>(['8', '16', 'half', 'float'])('always reaches over everything that was measured (%s)', (depth) => {
    const next = random(5);
    for (let k = 0; k < 200; k++) {
      const values = Array.from({ length: 9 }, () => 10 ** (4 * next() - 2) * (next() - 0.5));
      for (const kind of ['symmetric', 'full'] as const) {
        const [low, high] = ends(fitRange(fieldOf(values), depth, fit(kind), null));
        const slack = 1e-6 * (high - low);
        expect(low).toBeLessThanOrEqual(Math.min(0, ...values) + slack);
        expect(high).toBeGreaterThanOrEqual(Math.max(0, ...values) - slack);
      }
    }
  });

  it('that is full wastes no code, and puts rest exactly on one', () => {
    const range = fitRange(field, '8', fit('full'), null);
    expect((range.midpoint * 255) % 1).toBeCloseTo(0, 9);
    expect(ends(fitRange(field, 'float', fit('full'), null))).toEqual([-1, 3]);
    // a tail thinner than half a code keeps one code
    const thin = fitRange(fieldOf([-1e-6, 1]), '8', fit('full'), null);
    expect(thin.midpoint).toBe(1 / 255);
    expect(fitRange(fieldOf([1e-6, -1]), '8', fit('full'), null).midpoint).toBe(254 / 255);
  });

  it('keeps a midpoint that is asked for, or says why it cannot', () => {
    expect(ends(fitRange(field, '16', fit('symmetric'), 0.25))[0]).toBeCloseTo(-3);
    expect(ends(fitRange(field, '16', fit('full'), 0.5))).toEqual([-3, 3]);
    expect(() => fitRange(field, '16', fit('full'), 0)).toThrow("midpoint 0 leaves no room for the field's negative values.");
    expect(() => fitRange(field, '16', fit('full'), 1)).toThrow("midpoint 1 leaves no room for the field's positive values.");
    expect(() => fitRange(field, '16', fit('symmetric'), 1)).toThrow(/between 0 and 1/);
    expect(() => fitRange(field, '16', fit('measured'), null)).toThrow(/half or float/);
    expect(fitRange(field, 'float', fit('measured'), 0.5)).toEqual({ midpoint: 0.5, scale: 1 });
  });

  it('that clips cuts half of the share from each tail, whatever lies beyond', () => {
    const values = Array.from({ length: 1000 }, (_, i) => i - 499.5);
    values.push(1e6, -1e6);
    const { midpoint, scale } = fitRange(fieldOf(values), 'float', fit('clip', { share: 0.1 }), null);
    const [low, high] = ends({ midpoint, scale });
    expect(values.filter((x) => x < low).length).toBe(50);
    expect(values.filter((x) => x > high).length).toBe(50);
    expect(ends(fitRange(fieldOf(values), 'float', fit('clip', { share: 0.1, rounded: true }), null))[1]).toBeGreaterThanOrEqual(high);
  });

  it('looks at what was measured only, and stands over a field with nothing in it', () => {
    const padded = fieldOf([2, 99, -99], 1, [INSIDE, PADDING, MISSED]);
    expect(ends(fitRange(padded, 'float', fit('full'), null))).toEqual([0, 2]);
    for (const empty of [fieldOf([5], 1, [MISSED]), fieldOf([0, 0])])
      for (const kind of ['symmetric', 'full', 'clip'] as const) expect(fitRange(empty, '16', fit(kind), null).scale).toBe(1);
  });

  it('over several tiles is the same from their extremes, so that no two tiles need be in memory', () => {
    const next = random(11);
    const wish: RangeWish = { kind: 'vector', depth: '16', fit: null, midpoint: null, scale: null, axes: PLAIN_ORDER, each: true };
    const tiles = Array.from({ length: 3 }, () => fieldOf(Array.from({ length: 30 }, () => 4 * next() - 1), 3)); // prettier-ignore
    for (const change of [{}, { each: false }, { fit: fit('full') }, { each: false, fit: fit('symmetric', { rounded: true }) }])
      expect(fitEncoding(tiles.map(extremesOf), { ...wish, ...change })).toEqual(fitEncoding(tiles, { ...wish, ...change }));
    expect(extremesOf(fieldOf([7], 1, [MISSED])).coverage).toEqual(new Uint8Array(2));
  });

  it('is raised to a round number, never lowered', () => {
    expect([0.0012, 1, 1.0001, 2.2, 2.5, 4.99, 5.01, 9.5, 730].map(roundUp)).toEqual([0.002, 1, 2, 2.5, 2.5, 5, 10, 10, 1000]);
    const next = random(2);
    for (let k = 0; k < 300; k++) {
      const x = 10 ** (12 * next() - 6);
      expect(roundUp(x)).toBeGreaterThanOrEqual(x);
      expect(roundUp(x)).toBeLessThanOrEqual(2.5 * x);
    }
  });
});

describe('the encoding of a kind', () => {
  const wish = { depth: '16', fit: null, midpoint: null, scale: null, axes: PLAIN_ORDER, each: false } as const;
  const open = fieldOf([0.2, 0.9]);
  it('is its own where the kind has one: directions, openness, colours, hollows', () => {
    expect(fitEncoding([fieldOf([0, 0, 1], 3)], { ...wish, kind: 'normal' })).toMatchObject({ midpoint: 0.5, scale: 2 });
    expect(fitEncoding([open], { ...wish, kind: 'occlusion' })).toEqual({ depth: '16', midpoint: 0, scale: 1 });
    expect(fitEncoding([open], { ...wish, kind: 'hollows' }).midpoint).toBe(0);
    expect(fitEncoding([open], { ...wish, kind: 'occlusion', fit: parseFit('full') }).scale).toBeCloseTo(0.9);
    expect(() => fitEncoding([open], { ...wish, kind: 'normal', fit: parseFit('full') })).toThrow(/leave the fit out/);
  });

  it('gives three ranges to vectors alone, and only where they are fitted', () => {
    expect(() => fitEncoding([open], { ...wish, kind: 'scalar', each: true })).toThrow('a scalar map has one range for all channels.');
    expect(() => fitEncoding([open], { ...wish, kind: 'vector', each: true, scale: 2 })).toThrow(/leave midpoint and scale out/);
    expect(fitEncoding([open], { ...wish, kind: 'scalar', scale: 8 })).toMatchObject({ scale: 8, midpoint: 32768 / 65535 });
  });
});

describe('a map read back', () => {
  it('lies within half a step of what was measured, in every channel and order; what was not measured does not count', async () => {
    const next = random(9);
    const field: Field = { width: 20, height: 1, channels: 3, values: Float32Array.from({ length: 60 }, () => 2 * next() - 1), coverage: new Uint8Array(20).fill(INSIDE, 0, 15) }; // prettier-ignore
    const range = { midpoint: 0.5, scale: 2.5 };
    const choice = { depth: '8' as const, ...range, each: [range, { midpoint: 0.5, scale: 4 }, range] as const, green: 'up' as const, keepBlue: true, axes: '' }; // prettier-ignore
    const { encoding, convention } = encodingOf(choice, 'derivative');
    const { map } = encodeMap(field, fieldRecordOf({ kind: 'vector', frame: 'derivative' }), encoding, null, convention);
    const { covered, difference } = await readBack([[field, { width: 20, height: 1, channels: 3, values: Float32Array.from(map.stored, (q) => q / 255) }]], encoding); // prettier-ignore
    expect(covered).toBe(15);
    const { rms, max } = known(difference);
    expect(max).toBeLessThanOrEqual(4 / 255 / 2 + 1e-6);
    expect(max).toBeGreaterThan(2.5 / 255 / 2); // the widest channel
    expect(rms).toBeLessThan(max);
    expect(await readBack([], encoding)).toEqual({ covered: 0, difference: null });
  });

  it('refuses what a kind cannot have', () => {
    const { encoding } = encodingOf({ depth: 'float', midpoint: 0, scale: 1, green: 'up', keepBlue: true, axes: '' }, null);
    expect(() => encodeMap(fieldOf([1]), fieldRecordOf({ kind: 'vector' }), encoding, null)).toThrow(/holds heights, not vectors/);
    const range = { midpoint: 0, scale: 1 };
    expect(() => encodeMap(fieldOf([1]), fieldRecordOf({ kind: 'scalar' }), { ...encoding, each: [range, range, range] }, null)).toThrow(/one channel, so it has one scale/); // prettier-ignore
    expect(() => encodingOf({ depth: 'float', midpoint: 0, scale: 1, green: 'up', keepBlue: true, axes: 'R=+X G=+Y B=+Z' }, 'mikk')).toThrow(); // prettier-ignore
  });
});

describe('an encoding that keeps nothing', () => {
  const wish: RangeWish = { kind: 'scalar', depth: '16', fit: null, midpoint: 0.5, scale: 1, axes: PLAIN_ORDER, each: false };
  const encode = (change: Partial<RangeWish>): unknown => fitEncoding([fieldOf([0.25, 0.75])], { ...wish, ...change });

  it.each([
    ['all clipped', { midpoint: 5 }, /hold values from -5.000 to -4.000, but what was measured runs from 0.2500 to 0.7500/],
    ['all rounded to rest', { scale: 1e6 }, /hold steps of 15.26, but what was measured/],
    ['below what a half holds', { depth: 'half', midpoint: 0, scale: 5e8 }, /hold steps of 29.80/],
    ['midpoint out of range', { midpoint: 1e30 }, /midpoint is 1e\+30; it must be a number from -1000 to 1000/],
    ['scale out of range', { scale: 1e-320 }, /scale is 1e-320; it must be a number from 1e-9 to 1000000000/],
  ] as const)('is refused: %s', (_, change, message) => {
    const made = (): unknown => {
      const encoding = encode(change) as Parameters<typeof encodeMap>[2];
      return encodeMap(fieldOf([0.25, 0.75]), fieldRecordOf({ kind: 'scalar' }), encoding, null);
    };
    expect(made).toThrow(message);
  });

  it('is not one that is rough, of a surface flat but for noise, or of nothing', () => {
    expect(encode({ scale: 100 })).toMatchObject({ scale: 100 });
    expect(encode({ scale: 0.1 })).toMatchObject({ scale: 0.1 }); // cut off, but on the right side
    expect(fitEncoding([fieldOf([0.25, 0.2500001])], wish)).toMatchObject({ scale: 1 });
    expect(fitEncoding([fieldOf([0, 0])], { ...wish, scale: 1e9 })).toMatchObject({ scale: 1e9 });
    expect(fitEncoding([fieldOf([1, 2], 1, [MISSED, PADDING])], { ...wish, scale: 1e9 })).toMatchObject({ scale: 1e9 });
  });
});
