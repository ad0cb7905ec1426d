import type { ExrChannel } from '@estampe/core';
import { readField, readMap, writeExr, writePng, writeTiff } from '@estampe/core';
import { nodeZlib } from '../src';
import { rowsExr, withCrcs } from './odd-files';

const [width, height] = [64, 64];
const floats = Float32Array.from({ length: width * height }, (_, i) => Math.fround(Math.sin(i * 12.9898) * 43758.5453));
const code = (bytes: Uint8Array): Promise<string> => readMap(bytes, nodeZlib).then(() => 'read', (e: unknown) => (e as { code: string }).code); // prettier-ignore

describe('EXR', () => {
  it.each(['none', 'RLE'] as const)('of another program, compression %s, reads equal as a Buffer and as bytes', async (compression) => {
    const file = rowsExr(width, height, floats, compression);
    for (const bytes of [file, Buffer.from(file)]) expect((await readMap(bytes, nodeZlib)).raster.values).toEqual(floats);
  });

  it('of our own with a block that does not shrink reads equal', async () => {
    // noise in one of four blocks: it is stored as it is
    const mixed = floats.map((x, i) => (i < 16 * width ? x : 0.5));
    const channels: ExrChannel[] = [{ name: 'height', type: 'float', data: mixed, offset: 0, stride: 1 }];
    const stored = { ...nodeZlib, deflate: async (data: Uint8Array) => (data.includes(200) ? new Uint8Array(data.length + 1) : nodeZlib.deflate(data)) }; // prettier-ignore
    const file = await writeExr({ width, height, channels, attributes: {} }, stored);
    expect((await readField(Buffer.from(file), nodeZlib)).field.values).toEqual(mixed);
  });

  it('that is cropped, has rows twice, short rows or an attribute of negative size is refused', async () => {
    const exr = (change: Parameters<typeof rowsExr>[4]): Uint8Array => rowsExr(width, height, floats, 'none', change);
    expect(await code(exr({}))).toBe('read');
    expect(await code(exr({ window: [5, 7, 68, 70] }))).toBe('read'); // moved as a whole
    expect(await code(exr({ display: [0, 0, 127, 127] }))).toBe('UNSUPPORTED');
    expect(await code(exr({ rows: [0, ...Array.from({ length: height - 1 }, (_, y) => y)] }))).toBe('NOT_THIS_FORMAT');
    expect(await code(exr({ short: 4 }))).toBe('TRUNCATED');
    const extra = Buffer.concat([Buffer.from('size\0string\0'), Buffer.from(Int32Array.of(-12).buffer)]);
    expect(await code(exr({ extra }))).toBe('NOT_THIS_FORMAT');
    const holed = floats.slice();
    holed[70] = NaN;
    await expect(readMap(rowsExr(width, height, holed, 'none'), nodeZlib)).rejects.toThrow(/not finite at texel 6, 1/);
  });

  it('with a coverage that is no class is refused', async () => {
    const plane = (name: string, data: Float32Array): ExrChannel => ({ name, type: 'float', data, offset: 0, stride: 1 });
    const coverage = new Float32Array(width * height).fill(1);
    coverage[width + 2] = 7.5;
    const file = await writeExr({ width, height, channels: [plane('height', floats), plane('coverage', coverage)], attributes: {} }, nodeZlib); // prettier-ignore
    await expect(readField(file, nodeZlib)).rejects.toThrow(/coverage is 7.5 at texel 2, 1/);
  });
});

describe('TIFF', () => {
  const grey = (data: Uint8Array | Uint16Array | Float32Array): Promise<Uint8Array> => writeTiff({ width: 4, height: 2, channels: 1, data, description: '' }, nodeZlib); // prettier-ignore
  const ramp = Uint8Array.from({ length: 8 }, (_, i) => 30 * i);

  /** The file with one tag's value changed. */
  const withTag = (file: Uint8Array, tag: number, value: number): Uint8Array => {
    const out = file.slice();
    const view = new DataView(out.buffer);
    const at = view.getUint32(4, true);
    for (let i = 0; i < view.getUint16(at, true); i++) {
      const entry = at + 2 + 12 * i;
      if (view.getUint16(entry, true) !== tag) continue;
      view.setUint16(entry + 2, 3, true);
      view.setUint32(entry + 4, 1, true);
      view.setUint32(entry + 8, value, true);
      return out;
    }
    throw new Error(`no tag ${tag}`);
  };

  it('white-is-zero reads as what it shows', async () => {
    const white = withTag(await grey(ramp), 262, 0);
    expect((await readMap(white, nodeZlib)).raster.values).toEqual(Float32Array.from(ramp, (q) => (255 - q) / 255));
  });

  it.each([
    ['no samples', 277, 0],
    ['too many samples', 277, 900],
    ['a palette', 262, 3],
    ['an unknown predictor', 317, 9],
    ['a predictor for floats on whole numbers', 317, 3],
  ])('with %s is refused', async (_, tag, value) => expect(await code(withTag(await grey(ramp), tag, value))).toBe('UNSUPPORTED'));

  it('of floats with the differences of whole numbers, turned, or with no rows in a strip is refused', async () => {
    const floating = await grey(new Float32Array(8));
    expect(await code(withTag(floating, 317, 2))).toBe('UNSUPPORTED');
    expect(await code(withTag(await grey(ramp), 274, 3))).toBe('UNSUPPORTED');
    expect(await code(withTag(await grey(ramp), 278, 0))).toBe('TRUNCATED');
  });
});

describe('PNG', () => {
  it('with a wrong sum, or with a filter that is none, is refused', async () => {
    const plain = { ...nodeZlib, deflate: (data: Uint8Array) => nodeZlib.deflate(data.map((b, i) => (i === 0 ? 9 : b))) };
    const image = { width: 4, height: 2, channels: 1 as const, data: new Uint8Array(8), description: '' };
    expect(await code(await writePng(image, plain))).toBe('TRUNCATED');
    const good = await writePng(image, nodeZlib);
    expect(await code(good)).toBe('read');
    good[good.length - 20] ^= 1;
    await expect(readMap(good, nodeZlib)).rejects.toThrow(/damaged/);
    const huge = await writePng(image, nodeZlib);
    new DataView(huge.buffer).setUint32(16, 40000);
    expect(await code(withCrcs(huge))).toBe('TOO_LARGE');
  });
});
