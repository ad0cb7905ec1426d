import type { Depth, Field, MapFormat } from '@estampe/core';
import { decodeValue, INSIDE, LEGAL_DEPTHS, PADDING, stepAt, fieldRecordOf } from '@estampe/core';
import { makeMap } from '../src';

const SIDE = 24;
const heights: Field = {
  width: SIDE,
  height: SIDE,
  channels: 1,
  values: Float32Array.from({ length: SIDE * SIDE }, (_, i) => Math.sin(0.7 * i) * 3),
  coverage: Uint8Array.from({ length: SIDE * SIDE }, (_, i) => (i < 3 * SIDE ? PADDING : INSIDE)),
};
const normals: Field = {
  ...heights,
  channels: 3,
  values: Float32Array.from({ length: 3 * SIDE * SIDE }, (_, k) => {
    const i = Math.floor(k / 3);
    const [a, b] = [0.4 * Math.sin(i), 0.3 * Math.cos(2 * i)];
    return k % 3 === 0 ? a : k % 3 === 1 ? b : Math.sqrt(1 - a * a - b * b);
  }),
};
const said = {
  baseLevel: 4,
  tile: 1002,
  unit: 'mm',
  lowHash: 'abc',
  match: 'stack',
  reach: 3.2,
  padding: 16,
  covered: 504,
} as const;
const record = fieldRecordOf({ ...said, kind: 'scalar' });
const plain = { green: 'up', keepBlue: true } as const;
const every = (Object.entries(LEGAL_DEPTHS) as [MapFormat, readonly Depth[]][]).flatMap(([type, depths]) =>
  depths.map((depth) => [type, depth] as const),
);

describe('a made map', () => {
  it.each(every)('as %s at %s reads back what was measured, to half a step', async (type, depth) => {
    const encoding = { depth, midpoint: 0.5, scale: 7 };
    const told: [number, string][] = [];
    const { made, raster } = await makeMap({ field: heights, record, texelSizes: null }, encoding, plain, type, { onProgress: (...said) => told.push(said) }); // prettier-ignore
    // a written file is not the end
    expect(told.at(-1)).toEqual([0.75, 'reading the map back']);
    expect(told.map(([fraction]) => fraction)).toEqual(told.map(([fraction]) => fraction).sort((a, b) => a - b));
    expect(made).toMatchObject({ tile: 1002, record: { depth, scale: 7, clippedShare: 0, axes: 'none' } });
    for (let i = 0; i < SIDE * SIDE; i++) {
      const read = decodeValue(encoding, raster.values[i]);
      expect(Math.abs(read - heights.values[i])).toBeLessThanOrEqual(0.5001 * stepAt(encoding, raster.values[i]) + 1e-6);
    }
    expect(JSON.parse(new TextDecoder().decode(made.sidecar))).toMatchObject({
      'estampe:kind': 'scalar',
      'estampe:tile': 1002,
      'estampe:scale': 7,
    });
  });

  it.each(every)('of normals as %s at %s keeps its three channels, green the way it is asked for', async (type, depth) => {
    const own = fieldRecordOf({ ...said, kind: 'normal', frame: 'mikk', normalSource: 'hit' });
    const encoding = { depth, midpoint: 0.5, scale: 2 };
    const up = await makeMap({ field: normals, record: own, texelSizes: null }, encoding, plain, type);
    const down = await makeMap({ field: normals, record: own, texelSizes: null }, encoding, { green: 'down', keepBlue: false }, type);
    expect(up.made.record).toMatchObject({ green: 'up', keepBlue: 'yes', axes: 'R=+U G=+V B=+N' });
    expect(down.made.record).toMatchObject({ green: 'down', keepBlue: 'no' });
    const tolerance = depth === '8' ? 0.005 : 0.001;
    for (let i = 0; i < SIDE * SIDE; i++) {
      for (let k = 0; k < 3; k++)
        expect(Math.abs(2 * (up.raster.values[3 * i + k] - 0.5) - normals.values[3 * i + k])).toBeLessThan(tolerance);
      expect(Math.abs(2 * (down.raster.values[3 * i + 1] - 0.5) + normals.values[3 * i + 1])).toBeLessThan(tolerance);
      expect(down.raster.values[3 * i + 2]).toBeCloseTo(1, 3); // full: left to the reader
    }
  });

  it('refuses a depth that the file cannot hold, and counts what does not fit', async () => {
    await expect(
      makeMap({ field: heights, record, texelSizes: null }, { depth: 'half', midpoint: 0.5, scale: 7 }, plain, 'png'),
    ).rejects.toMatchObject({
      code: 'BAD_OPTION',
    });
    const tight = await makeMap({ field: heights, record, texelSizes: null }, { depth: '16', midpoint: 0.5, scale: 3 }, plain, 'tif');
    const beyond = heights.values.filter((v, i) => heights.coverage[i] === INSIDE && Math.abs(v) > 1.5).length;
    expect(tight.made.record.clippedShare).toBeCloseTo(beyond / (21 * SIDE), 3);
  });

  it('is the same bytes every time', async () => {
    const encoding = { depth: '16', midpoint: 0.5, scale: 7 } as const;
    const [a, b] = [
      await makeMap({ field: heights, record, texelSizes: null }, encoding, plain, 'exr').catch(() => null),
      await makeMap({ field: heights, record, texelSizes: null }, encoding, plain, 'tif'),
    ];
    expect(a).toBeNull(); // 16 bit integers are not for EXR
    const again = await makeMap({ field: heights, record, texelSizes: null }, encoding, plain, 'tif');
    expect(Buffer.from(again.made.file).equals(Buffer.from(b.made.file))).toBe(true);
  });
});
