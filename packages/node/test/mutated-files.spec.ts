import { deflateSync } from 'node:zlib';
import type { MapFile, PolyMesh } from '@estampe/core';
import {
  EstampeError,
  packMesh,
  polyMesh,
  readField,
  readMap,
  readObj,
  unpackMesh,
  writeExr,
  writeObj,
  writePng,
  writeTiff,
} from '@estampe/core';
import { nodeZlib } from '../src';
import { rowsExr, withCrcs } from './odd-files';

/** How many damaged files a reader gets; 100,000 by hand. */
const COUNT = Number(process.env['MUTATIONS'] ?? 1000);
const SEED = 20261127;
/** No small file, however damaged, may keep a reader longer than this or make it take more memory. */
const HANG_MS = 5000;
const MOST_BYTES = 64e6;
const DOCUMENTED = [
  'EMPTY_FILE', 'NOT_THIS_FORMAT', 'TRUNCATED', 'BAD_NUMBER', 'INDEX_OUT_OF_RANGE', 'TOO_LARGE', 'NO_FACES', 'UNSUPPORTED',
]; // prettier-ignore

const [width, height] = [9, 21];
const floats = Float32Array.from({ length: 3 * width * height }, (_, i) => Math.sin(i / 7));
const words = Uint16Array.from(floats, (x) => Math.round((x + 1) * 30000));
const attributes = { 'estampe:kind': 'scalar', 'estampe:scale': 2, 'estampe:texelSizes': Float32Array.of(1, 2, 3) };
const exrChannels = [
  { name: 'height', type: 'float', data: floats, offset: 0, stride: 1 },
  { name: 'coverage', type: 'float', data: new Float32Array(width * height).fill(1), offset: 0, stride: 1 },
] as const;
const image = { width, height, channels: 3, description: '{"estampe:kind":"vector"}' } as const;
const square: PolyMesh = polyMesh({
  positions: Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0.125),
  faceOffsets: Uint32Array.of(0, 3, 6),
  faceVerts: Uint32Array.of(0, 1, 2, 0, 2, 3),
  uvs: Float32Array.of(0, 0, 1, 0, 1, 1, 0, 1),
  faceUvs: Uint32Array.of(0, 1, 2, 0, 2, 3),
});

type Read = (bytes: Uint8Array) => unknown;
const map: Read = (bytes) => readMap(bytes, nodeZlib);
const field: Read = (bytes) => readField(bytes, nodeZlib);
const SOURCES: readonly (readonly [name: string, make: () => Promise<Uint8Array> | Uint8Array, read: Read, mend?: (b: Uint8Array) => Uint8Array])[] = [
  ['EXR field, ZIP', () => writeExr({ width, height, channels: exrChannels, attributes }, nodeZlib), field],
  ['EXR map, ZIP', () => writeExr({ width, height, channels: exrChannels, attributes }, nodeZlib), map],
  ['EXR, rows as they are', () => rowsExr(width, height, floats, 'none'), map],
  ['EXR, run lengths', () => rowsExr(width, height, floats, 'RLE'), map],
  ['TIFF, 8 bit', () => writeTiff({ ...image, data: Uint8Array.from(words, (w) => w >> 8) }, nodeZlib), map],
  ['TIFF, 16 bit', () => writeTiff({ ...image, data: words }, nodeZlib), map],
  ['TIFF, float', () => writeTiff({ ...image, data: floats }, nodeZlib), map],
  ['PNG, 16 bit', () => writePng({ ...image, data: words }, nodeZlib), map],
  ['PNG, 16 bit, sums mended', () => writePng({ ...image, data: words }, nodeZlib), map, withCrcs],
  ['OBJ', () => writeObj(square), readObj],
  ['stored mesh', () => packMesh(square), unpackMesh],
]; // prettier-ignore

/** Park and Miller's minimal standard generator (1988). */
function numbers(seed: number): (below: number) => number {
  let state = seed % 2147483647;
  return (below) => Math.floor(((state = (state * 48271) % 2147483647) / 2147483647) * below);
}

const TELLING = [0, 1, 2, 3, 4, 0x2d, 0x39, 0x7f, 0x80, 0xfe, 0xff];

/** A copy with some bytes changed, cut off, doubled or left out. */
function mutate(bytes: Uint8Array, next: (below: number) => number): Uint8Array {
  const out = bytes.slice();
  for (let k = 0; k <= next(4); k++) {
    const at = next(2) === 0 ? next(out.length) : next(Math.min(400, out.length));
    const how = next(4);
    if (how === 0) out[at] ^= 1 << next(8);
    else if (how === 1) out[at] = next(256);
    else if (how === 2) out[at] = TELLING[next(TELLING.length)];
    else out.fill(TELLING[next(TELLING.length)], at, at + 4);
  }
  const cut = next(12);
  const at = next(out.length);
  if (cut === 0) return out.slice(0, at);
  const to = Math.min(out.length, at + 1 + next(64));
  if (cut === 1) return Uint8Array.from([...out.slice(0, to), ...out.slice(at)]);
  return cut === 2 ? Uint8Array.from([...out.slice(0, at), ...out.slice(to)]) : out;
}

async function outcomeOf(read: Read, bytes: Uint8Array): Promise<unknown> {
  try {
    return await read(bytes);
  } catch (error) {
    if (!(error instanceof EstampeError)) throw error;
    expect(DOCUMENTED).toContain(error.code);
    // of two damaged blocks either may be found first
    return error.code;
  }
}

describe(`damaged in ${COUNT} ways is read or refused, as a Buffer like as plain bytes:`, () => {
  it.each(SOURCES.map((source) => [source[0], source] as const))(
    '%s',
    async (_, [name, make, read, mend]) => {
      const good = await make();
      const next = numbers(SEED + name.length);
      let refused = 0;
      for (let k = 0; k < COUNT; k++) {
        const bad = mend ? mend(mutate(good, next)) : mutate(good, next);
        const start = performance.now();
        const memory = process.memoryUsage().arrayBuffers;
        let plain: unknown;
        try {
          plain = await outcomeOf(read, bad);
        } catch (error) {
          throw new Error(`file ${k}: ${String(error)}\n${Buffer.from(bad).toString('base64')}`, { cause: error });
        }
        // a Buffer out of the pool: its bytes start somewhere in a larger one
        const buffered = await outcomeOf(read, Buffer.from(bad));
        expect(buffered).toEqual(plain);
        expect(performance.now() - start).toBeLessThan(HANG_MS);
        expect(process.memoryUsage().arrayBuffers - memory).toBeLessThan(MOST_BYTES);
        if (typeof plain === 'string') refused++;
        else if (read === map) expect((plain as MapFile).raster.values.every(Number.isFinite)).toBe(true);
      }
      expect(refused).toBeGreaterThan(COUNT / 20);
      expect(refused).toBeLessThan(COUNT);
    },
    3_600_000,
  );
});

it('files that claim far more than they can hold are refused before memory is taken', async () => {
  const exr = await writeExr({ width: 64, height: 64, channels: [{ name: 'Y', type: 'float', data: new Float32Array(4096), offset: 0, stride: 1 }], attributes: {} }, nodeZlib); // prettier-ignore
  const view = new DataView(exr.buffer);
  for (const name of ['dataWindow', 'displayWindow']) {
    const at = Buffer.from(exr).indexOf(`${name}\0box2i\0`) + name.length + 11;
    view.setInt32(at + 8, 32000, true);
    view.setInt32(at + 12, 32000, true);
  }
  await expect(readMap(exr, nodeZlib)).rejects.toMatchObject({ code: 'TRUNCATED' });
  const png = await writePng({ width: 8, height: 8, channels: 1, data: new Uint8Array(64), description: '' }, nodeZlib);
  new DataView(png.buffer).setUint32(16, 32000);
  new DataView(png.buffer).setUint32(20, 32000);
  await expect(readMap(withCrcs(png), nodeZlib)).rejects.toMatchObject({ code: 'TRUNCATED' });
  expect(deflateSync(new Uint8Array(1e6)).length).toBeGreaterThan(1e6 / 1032);
});
