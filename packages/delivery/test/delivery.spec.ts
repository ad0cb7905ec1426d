import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import type { Manifest } from '@estampe/contracts';
import { manifestSchema } from '@estampe/contracts';
import { fieldRecordOf, writtenRecord } from '@estampe/core';
import type { DeliveredTile } from '../src';
import { deliveredMap, deliveryName, mapFileName, mapPicture, setUpSheet, zipStream } from '../src';
import { plainName } from '@estampe/contracts';
import { unzip } from './unzip';

const distance = (rms: number) => ({
  mean: rms / 2,
  rms,
  p95: 2 * rms,
  p99: 3 * rms,
  max: 9 * rms,
  toSculpt: { rms, max: rms },
  toProof: { rms, max: rms },
});
const record = {
  ...writtenRecord(fieldRecordOf({ kind: 'scalar' })), baseLevel: 5, unit: 'mm', lowHash: 'abc', match: 'stack', reach: 9.63, padding: 16, covered: 100, seamsMatched: 'yes',
  depth: '16', midpoint: 32768 / 65535, scale: 18.21304, axes: 'none', green: 'none', clippedShare: 0,
} as const; // prettier-ignore
const tile = (number: number, min: number, max: number): DeliveredTile => ({
  record: { ...record, tile: number },
  figures: { step: 0.000278, restError: 0, terracedShare: 0.001 * number - 1, min, max },
  file: `bell_scalar_L0-L4_16i.${number}.tif`,
  sha256: 'f'.repeat(64),
  bytes: 100,
});
const scalar = deliveredMap([tile(1001, -9.1, 3.7), tile(1002, -1, 12.5)], [1024, 1024], 'tif', {
  kind: 'scalar',
  report: {
    diagonal: 1254, subdivisions: 4, distance: distance(0.0323), undisplaced: distance(0.753), unencoded: distance(0.0322), reachedShare: 0.97, seamGap: { rms: 0.001, max: 0.02 },
    normalAngle: { mean: 1.1, p95: 4 }, missedShare: 0, clippedShare: 0, foldShare: 0, tolerance: 0.11, passed: false,
  },
}); // prettier-ignore
const normal = deliveredMap(
  [{ ...tile(1001, -1, 1), record: { ...record, kind: 'normal', frame: 'mikk', green: 'down', keepBlue: 'no', axes: 'R=+U G=+V B=+N', normalSource: 'hit' } }],
  [512, 512],
  'png',
  { kind: 'normal', report: { subdivisions: 5, normalAngle: { mean: 0.4, p95: 1.2, max: 5 }, bareAngle: { mean: 3, p95: 10, max: 46 }, missedShare: 0, clippedShare: 0, unmatchedShare: 0, tolerance: null, passed: null } },
); // prettier-ignore
const manifest: Manifest = {
  format: 'estampe-delivery-1', asset: 'Bell <1>', version: 3, createdAt: '2026-11-25T08:00:00.000Z', unit: 'mm',
  low: { file: 'bell_L0.obj', sha256: '', bytes: 1, meshHash: '0123456789abcdef00', points: 1282, faces: 1280, level: 0, tiles: [1001, 1002], triangulation: 'fan' },
  sculpt: { points: 1, faces: 327680, diagonal: 1254, level: 4, file: null }, subdivision: { scheme: 'catmull-clark', steps: 4, boundary: 'edge-and-corner', uv: 'linear' },
  maps: [scalar, normal],
}; // prettier-ignore

describe('names', () => {
  it('are plain on every system, whatever an asset is called', () => {
    expect(plainName('../../Él Bell  No. 2!')).toBe('el-bell-no-2');
    expect(plainName('../..')).toBe('asset');
    expect(deliveryName('Harbour bell', 12)).toBe('harbour-bell_v012');
    const parts = { asset: 'Bell', kind: 'scalar', fromLevel: 0, toLevel: 5, depth: '16', fileType: 'exr' } as const;
    expect(mapFileName(parts, 1001, 1)).toBe('bell_scalar_L0-L5_16i.exr');
    expect(mapFileName({ ...parts, toLevel: null, depth: 'half' }, 1011, 4)).toBe('bell_scalar_L0-sculpt_16f.1011.exr');
  });
});

describe('a delivered map', () => {
  it('counts the texels of all its tiles, and its bound is the largest displacement', () => {
    expect(scalar).toMatchObject({
      bound: 12.5,
      terracedShare: expect.closeTo(0.0015, 9) as number,
      space: 'along-normal',
      channels: 'grey',
    });
    expect(normal).toMatchObject({ bound: null, space: 'mikk', green: 'down', keepBlue: false, channels: 'R G B' });
    expect(manifestSchema.parse(JSON.parse(JSON.stringify(manifest)))).toEqual(manifest);
  });
});

describe('the set-up sheet', () => {
  it('says which tiles are cut off or missed, beside the shares over all of them', () => {
    const cut = { ...tile(1002, -1, 12.5), record: { ...record, tile: 1002, clippedShare: 0.3 } };
    const map = deliveredMap([tile(1001, -9.1, 3.7), cut], [1024, 1024], 'tif', scalar.proof);
    expect(map.clippedShare).toBeCloseTo(0.15, 12);
    const html = setUpSheet({ ...manifest, maps: [map] }, { sculpt: null, maps: [] });
    expect(html).toMatch(/By tile<\/th><td[^>]*>1002: 30 %, 0 %</);
    expect(setUpSheet(manifest, { sculpt: null, maps: [] })).not.toContain('By tile');
  });

  const text = setUpSheet(manifest, { sculpt: null, maps: [] })
    .replace(/<[^>]*>/g, ' ')
    .replace(/&#(\d+);/g, (_, n: string) => String.fromCharCode(Number(n)))
    .replace(/\s+/g, ' ');
  it('says every number that somebody needs who knows nothing else', () => {
    for (const words of [
      'Catmull-Clark',
      '4 steps',
      'edges and corners sharp',
      'linear, not smoothed',
      '1001 1002',
      'smooth limit surface',
      '(code 32768 of 65535)',
      '18.21304 mm',
      'Bound 12.5 mm',
      'raw data',
      'bilinear',
      '16 texels',
      'seams matched',
      '16 bit integer',
      '0.0323',
      '0.753',
      '4.29 % of the undisplaced',
      'Hold',
      '0.11 mm',
      'tangent space, MikkTSpace',
      'red along U, green along V',
      'green grows against V',
      'rebuild it as the square root',
      'midpoint 0.5000076',
    ])
      // prettier-ignore
      expect(text).toContain(words);
  });
  it('is one page without scripts or outside files, and takes names for what they are', () => {
    const html = setUpSheet(manifest, { sculpt: Uint8Array.of(137, 80), maps: [] });
    expect(html).not.toMatch(/<script|https?:\/\/|<link/);
    expect(html).toContain('Bell &#60;1&#62;');
    expect(html).toContain('data:image/png;base64,iVA=');
  });
});

describe('the zip', () => {
  const entries = ['a.txt', 'maps/b.bin'].map((path, i) => ({ path, open: () => Readable.from([Buffer.alloc(70_000, i + 1)]) }));
  const when = new Date('2026-11-25T08:00:00Z');
  it('holds the files in one folder, and equal contents give equal bytes', async () => {
    const first = await buffer(zipStream('bell_v001', entries, when));
    const files = await unzip(first);
    expect([...files.keys()]).toEqual(['bell_v001/a.txt', 'bell_v001/maps/b.bin']);
    expect(files.get('bell_v001/maps/b.bin')).toEqual(Buffer.alloc(70_000, 2));
    expect(await buffer(zipStream('bell_v001', entries, when))).toEqual(first);
  });
  it('fails as a whole when one of its files fails', async () => {
    const broken = { path: 'c', open: () => Readable.from((function* () { yield Buffer.alloc(10); throw new Error('gone'); })()) }; // prettier-ignore
    await expect(buffer(zipStream('x', [...entries, broken], when))).rejects.toThrow('gone');
  });
});

it('draws a map small, levelled from its lowest to its highest value', async () => {
  const values = Float32Array.from({ length: 64 * 64 }, (_, i) => 5 + (i % 64));
  const png = Buffer.from(await mapPicture({ width: 64, height: 64, channels: 1, values }));
  expect(png.subarray(1, 4).toString()).toBe('PNG');
  expect(png.readUInt32BE(16)).toBe(220);
});
