import type { ExrChannel } from '../src';
import { InvalidInputError, mapFormatOf, readMap, writeExr, writePng, writeTiff } from '../src';
import { readExr } from '../src/formats/exr-read';
import { readPng } from '../src/formats/png';
import { readTiff } from '../src/formats/tiff-read';
import { halfToFloat } from '../src/raster/half';
import { UnsupportedError } from '../src/runtime/errors';
import { testZlib } from './codec';
import { random } from './shapes';

const next = random(4);
const [width, height] = [37, 41];
const floats = Float32Array.from({ length: 3 * width * height }, (_, i) => Math.sin(i / 50) * 3 + next());
const words = Uint16Array.from({ length: 3 * width * height }, () => Math.floor(next() * 65536));

it.each([
  ['map.exr', 'exr'],
  ['a.b/Map.EXR', 'exr'],
  ['map.1001.tif', 'tif'],
  ['map.tiff', 'tif'],
  ['map.PNG', 'png'],
] as const)('%s is written as %s', (name, format) => expect(mapFormatOf(name)).toBe(format));
it.each(['map', 'map.jpg', 'exr', 'map.exr.json', 'map.tifff'])('%s is no map that can be written', (name) =>
  expect(() => mapFormatOf(name)).toThrow(/does not end in .exr, .tif or .png/),
);

describe('image files', () => {
  it('stores rows of OpenEXR as they are where they would not shrink, and reads them back to the last bit', async () => {
    const bits = Uint32Array.from({ length: width * height }, () => Math.floor(next() * 0x7f800000));
    const halves = Uint16Array.from({ length: 2 * width * height }, () => Math.floor(next() * 0x7c00));
    const data = new Float32Array(bits.buffer);
    const file = await writeExr(
      {
        width,
        height,
        channels: [
          { name: 'Z', type: 'float', data, offset: 0, stride: 1 },
          { name: 'A', type: 'half', data: halves, offset: 1, stride: 2 },
        ],
        attributes: {},
      },
      testZlib,
    );
    expect(file.length).toBeGreaterThan(6 * width * height);
    const { channels } = await readExr(file, testZlib);
    expect(channels.get('Z')).toEqual(data);
    expect(channels.get('A')).toEqual(Float32Array.from({ length: width * height }, (_, i) => halfToFloat(halves[2 * i + 1])));
  });

  it('EXR: writes and reads any channels, half beside float, with attributes', async () => {
    const halves = words.map((w) => w & 0x7bff);
    const channels: ExrChannel[] = [
      { name: 'height', type: 'float', data: floats, offset: 1, stride: 3 },
      { name: 'Y', type: 'half', data: halves, offset: 0, stride: 1 },
    ];
    const file = await writeExr(
      { width, height, channels, attributes: { 'estampe:scale': 0.1, note: 'größe', list: Float32Array.of(1, 2, 3) } },
      testZlib,
    );
    const back = await readExr(file, testZlib);
    expect(back.channels.get('height')).toEqual(Float32Array.from({ length: width * height }, (_, i) => floats[3 * i + 1]));
    expect(back.types.get('Y')).toBe('half');
    expect(back.attributes).toEqual({
      'estampe:scale': 0.1,
      note: 'größe',
      list: Float32Array.of(1, 2, 3),
      pixelAspectRatio: 1,
      screenWindowWidth: 1,
    });
  });

  it.each([1, 3] as const)('TIFF and PNG: %s channels come back equal at every depth', async (channels) => {
    const n = channels * width * height;
    for (const data of [words.slice(0, n), Uint8Array.from(words.subarray(0, n)), floats.slice(0, n)]) {
      const tiff = await readTiff(await writeTiff({ width, height, channels, data, description: 'a note' }, testZlib), testZlib);
      const top = data instanceof Float32Array ? 1 : data instanceof Uint8Array ? 255 : 65535;
      expect(tiff.values).toEqual(Float32Array.from(data, (q) => q / top));
      expect([tiff.channels, tiff.description]).toEqual([channels, 'a note']);
      if (data instanceof Float32Array) continue;
      const png = await readPng(
        await writePng({ width, height, channels, data, description: '{"estampe:kind":"scalar"}' }, testZlib),
        testZlib,
      );
      expect(png.values).toEqual(tiff.values);
    }
  });

  it('a TIFF of several strips comes back equal, each in its place', async () => {
    const [w, h] = [3, 150];
    const data = Uint16Array.from({ length: w * h }, (_, i) => 97 * i);
    const back = await readTiff(await writeTiff({ width: w, height: h, channels: 1, data, description: '' }, testZlib), testZlib);
    expect(back.values).toEqual(Float32Array.from(data, (q) => q / 65535));
  });

  it('knows maps by content, and refuses what is cut off, foreign, absurd or not supported', async () => {
    const tiff = await writeTiff(
      { width, height, channels: 1, data: words.slice(0, width * height), description: '{"estampe:kind":"scalar","estampe:scale":2}' },
      testZlib,
    );
    expect((await readMap(tiff, testZlib)).record).toEqual({ kind: 'scalar', scale: 2 });
    await expect(readMap(tiff.subarray(0, 60), testZlib)).rejects.toMatchObject({ code: 'TRUNCATED' });
    await expect(readMap(Uint8Array.of(1, 2, 3), testZlib)).rejects.toThrow(InvalidInputError);
    const exr = await writeExr(
      { width, height, channels: [{ name: 'Y', type: 'float', data: floats, offset: 0, stride: 1 }], attributes: {} },
      testZlib,
    );
    await expect(readMap(exr.subarray(0, exr.length - 200), testZlib)).rejects.toMatchObject({ code: 'TRUNCATED' });
    const tiled = exr.slice();
    tiled[5] |= 2;
    await expect(readMap(tiled, testZlib)).rejects.toThrow(UnsupportedError);
    const png = await writePng({ width, height, channels: 1, data: words.slice(0, width * height), description: '' }, testZlib);
    png[16] = 0x7f;
    await expect(readMap(png, testZlib)).rejects.toMatchObject({ code: 'TRUNCATED' });
  });
});
