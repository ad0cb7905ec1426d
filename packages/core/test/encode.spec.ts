import type { Depth, Encoding, Field } from '../src';
import {
  decodeMap,
  decodeStored,
  decodeValue,
  encodeField,
  encodeMap,
  exactMidpoint,
  fieldRecordOf,
  fitRange,
  INSIDE,
  InvalidInputError,
  mapFigures,
  MISSED,
  PADDING,
  parseFit,
  predictNoise,
  fieldCounts,
  fitEncoding,
  MAP_KIND_NAMES,
  MAP_KINDS,
  PLAIN_ORDER,
  proposedEncoding,
  stepAt,
} from '../src';
import { storedRaster } from '../src/encode/encode-field';
import { roundUp } from '../src/encode/fit';
import { sampleRaster } from '../src/raster/sample';
import { random } from './shapes';

const next = random(8);
function field(values: number[]): Field {
  return {
    width: values.length,
    height: 1,
    channels: 1,
    values: Float32Array.from(values),
    coverage: new Uint8Array(values.length).fill(1),
  };
}
const noise = field(Array.from({ length: 4000 }, () => (next() - 0.35) * 7));
const encode = (
  f: Field,
  depth: Depth,
  fit: string,
  midpoint: number | null = null,
): { encoding: Encoding; worst: number; clipped: number } => {
  const encoding = { depth, ...fitRange(f, depth, parseFit(fit), midpoint) };
  const map = encodeField(f, encoding, null);
  const decoded = Array.from(storedRaster(map).values, (c) => decodeValue(encoding, c));
  const worst = Math.max(...f.values.map((d, i) => Math.abs(decoded[i] - d) / stepAt(encoding, d / encoding.scale + encoding.midpoint)));
  return { encoding, worst, clipped: map.figures.clippedShare };
};

describe('an encoding proposed from figures', () => {
  it.each(MAP_KIND_NAMES)('of %s is what fitting its fields gives, over all tiles, and cuts nothing off', (kind) => {
    const { channels, signed, range } = MAP_KINDS[kind];
    const tiles = [1, 2].map((size): Field => ({
      width: 300 / channels,
      height: 1,
      channels,
      values: Float32Array.from({ length: 300 }, () => size * (next() - (signed ? 0.5 : 0)) * (range === 'unit' ? 0.5 : 1)),
      coverage: new Uint8Array(300 / channels).fill(INSIDE),
    }));
    const { depth, fileType, fit, axes, ...range_ } = proposedEncoding(kind, tiles.map((tile) => fieldCounts(tile).ends)); // prettier-ignore
    const fitted = fitEncoding(tiles, { kind, depth, fit: null, midpoint: null, scale: null, axes: PLAIN_ORDER, each: false });
    expect(range_).toMatchObject({ midpoint: fitted.midpoint, scale: fitted.scale });
    expect([depth, fileType, axes]).toEqual(kind === 'vector' ? ['half', 'exr', ''] : ['16', 'tif', '']);
    if (range !== 'directions') for (const tile of tiles) expect(encodeField(tile, { depth, ...range_ }, null).figures.clippedShare).toBe(0); // prettier-ignore
    expect(fit).not.toBe('');
    expect(proposedEncoding(kind, [[], []]).scale).toBeGreaterThan(0);
  });
});

describe('encoding', () => {
  it.each<[Depth, string]>([
    ['8', 'symmetric'],
    ['16', 'symmetric'],
    ['8', 'full'],
    ['16', 'full'],
    ['8', 'full,rounded'],
    ['half', 'measured'],
    ['float', 'measured'],
    ['half', 'full'],
    ['float', 'symmetric'],
  ])(
    // prettier-ignore
    '%s, %s: nothing clips and half a step bounds every error',
    (depth, fit) => {
      const { worst, clipped } = encode(noise, depth, fit);
      expect(clipped).toBe(0);
      expect(worst).toBeLessThanOrEqual(0.5 + 1e-3);
    },
  );

  it('keeps rest at rest with the exact midpoint, and says how far 0.5 moves it', () => {
    expect(decodeStored({ depth: '8', midpoint: exactMidpoint('8'), scale: 3 }, 0)).toBe(0);
    const half: Encoding = { depth: '8', midpoint: 0.5, scale: 3 };
    expect(encodeField(noise, half, null).figures.restError).toBeCloseTo(3 / 255 / 2, 9);
  });

  it('symmetric puts the largest value on the last code; a constant and a zero field divide by nothing', () => {
    expect(fitRange(field([-1, 4]), '16', parseFit('symmetric'), null).scale).toBeCloseTo(4 / (32767 / 65535), 9);
    for (const depth of ['8', '16', 'half', 'float'] as const) {
      expect(fitRange(field([0, 0]), depth, parseFit('full'), null)).toEqual({ midpoint: 0, scale: 1 });
      const constant = field([0.3, 0.3]);
      const encoding = { depth, ...fitRange(constant, depth, parseFit('full'), null) };
      expect(decodeMap(encodeField(constant, encoding, null)).values[0]).toBeCloseTo(0.3, depth === 'half' ? 3 : 6);
    }
  });

  it('clip gives up the stated share, half from each tail, and counts it', () => {
    const { clipped } = encode(noise, '16', 'clip:0.02');
    expect(clipped).toBeGreaterThan(0.018);
    expect(clipped).toBeLessThanOrEqual(0.0201);
  });

  it('rounds scales up to 1, 2, 2.5, 5', () => {
    expect([0.9, 1, 1.01, 2.2, 2.6, 5.1, 0.0031].map(roundUp)).toEqual([1, 1, 2, 2.5, 5, 10, 0.005]);
  });

  it('refuses what cannot work', () => {
    expect(() => fitRange(noise, '8', parseFit('measured'), null)).toThrow(InvalidInputError);
    expect(() => fitRange(noise, '8', parseFit('symmetric'), 0)).toThrow(InvalidInputError);
    expect(() => fitRange(noise, '8', parseFit('full'), 0)).toThrow(InvalidInputError);
    expect(() => parseFit('clip:2')).toThrow(InvalidInputError);
    expect(() => encodeField(noise, { depth: '8', midpoint: 0.5, scale: 0 }, null)).toThrow(InvalidInputError);
  });

  it('predicts what rounding adds to bilinear reads, on rough and on smooth fields', () => {
    const side = 160;
    const coverage = new Uint8Array(side * side).fill(1);
    for (const roughness of [0.05, 0.4, 1, 5]) {
      const values = Float32Array.from(
        { length: side * side },
        (_, i) => roughness * (Math.sin(0.31 * (i % side)) + Math.cos(0.23 * Math.floor(i / side) + 1) + 0.1 * next()),
      );
      const rough: Field = { width: side, height: side, channels: 1, values, coverage };
      const map = encodeField(rough, { depth: '8', midpoint: 0.5, scale: 25.5 }, null);
      const decoded = decodeMap(map);
      let sum = 0;
      const reads = 40_000;
      for (let i = 0; i < reads; i++) {
        const [u, v] = [0.05 + 0.9 * next(), 0.05 + 0.9 * next()];
        sum += (sampleRaster(decoded, 0, u, v, 'bilinear') - sampleRaster(rough, 0, u, v, 'bilinear')) ** 2;
      }
      const { reads: predicted, k } = predictNoise(rough, map.figures.step, 3);
      expect(Math.sqrt(sum / reads) / predicted).toBeGreaterThan(0.9);
      expect(Math.sqrt(sum / reads) / predicted).toBeLessThan(1.1);
      if (roughness === 5) expect(k).toBeCloseTo(2 / 3, 1);
    }
  });

  it.each<Depth>(['8', '16', 'half', 'float'])('says of a map what reading it back shows, with the map or without: %s', (depth) => {
    const each = [{ midpoint: 0.5, scale: 6 }, { midpoint: 0.2, scale: 3 }, { midpoint: 0, scale: 20 }] as const; // prettier-ignore
    const vectors: Field = {
      width: 40,
      height: 10,
      channels: 3,
      values: Float32Array.from({ length: 1200 }, () => 9 * (next() - 0.5)),
      coverage: Uint8Array.from({ length: 400 }, (_, t) => [INSIDE, INSIDE, PADDING, MISSED, 0][t % 5]),
    };
    const encoding = { depth, midpoint: 0.5, scale: 6, each };
    const record = fieldRecordOf({ kind: 'vector', frame: 'derivative' });
    const { map, figures } = encodeMap(vectors, record, encoding, null);
    expect(mapFigures(vectors, record, encoding, null)).toEqual(figures);
    const read = decodeMap(map).values;
    const inside = [...read.keys()].filter((i) => vectors.coverage[Math.floor(i / 3)] === INSIDE);
    const rms = Math.sqrt(inside.reduce((sum, i) => sum + (read[i] - vectors.values[i]) ** 2, 0) / inside.length);
    const longest = Math.max(...inside.filter((i) => i % 3 === 0).map((i) => Math.hypot(read[i], read[i + 1], read[i + 2])));
    expect(Math.abs(figures.roundingRms / rms - 1)).toBeLessThan(depth === 'float' ? 0.3 : 1e-5);
    expect(figures.bound).toBeCloseTo(longest, 5);
    for (const k of [0, 1, 2]) {
      const own = inside.filter((i) => i % 3 === k).map((i) => read[i]);
      expect([figures.ends?.[k].min, figures.ends?.[k].max]).toEqual([expect.closeTo(Math.min(...own), 5), expect.closeTo(Math.max(...own), 5)]); // prettier-ignore
    }
    const beyond = inside.filter((i) => Math.abs((vectors.values[i] / each[i % 3].scale + each[i % 3].midpoint) * 2 - 1) > 1).length;
    if (depth === '16') expect(figures.clippedShare).toBeCloseTo(beyond / inside.length, 2);
    if (depth === 'float') expect(figures.clippedShare).toBe(0);
  });

  it('counts terraces where a step is steep and the slope is shallow, and none where the step is fine', () => {
    const ramp: Field = {
      width: 64,
      height: 64,
      channels: 1,
      values: Float32Array.from({ length: 4096 }, (_, i) => (i % 64) * 0.002),
      coverage: new Uint8Array(4096).fill(1),
    };
    const sizes = new Float32Array(4096).fill(1);
    const share = (depth: Depth): number | null => encodeField(ramp, { depth, midpoint: 0.5, scale: 8 }, sizes).figures.terracedShare;
    expect(share('8')).toBe(1); // step 0.031 over one unit is 1.8 degrees
    expect(share('16')).toBe(0);
  });
});
