import { testZlib } from './codec';
import { openFieldRows } from '../src/formats/field-rows';
import { BLOCK_SIDE, pyramidHeadBytes, pyramidLevels, readPyramidBlock, readPyramidHead, writePyramid } from '../src/formats/field-pyramid';
import { writeField } from '../src/formats/map-file';
import type { Field } from '../src/raster/field';
import { DOUBTFUL, INSIDE, MISSED, OUTSIDE, PADDING } from '../src/raster/field';
import { fieldSpread, SPREAD_BARS } from '../src/raster/field-spread';
import { halveField } from '../src/raster/halve-field';
import { fieldRecordOf } from '../src/formats/map-record';

const fieldOf = (width: number, height: number, channels: 1 | 3, value: (x: number, y: number, k: number) => number): Field => ({
  width,
  height,
  channels,
  values: Float32Array.from({ length: channels * width * height }, (_, i) => {
    const texel = Math.floor(i / channels);
    return value(texel % width, Math.floor(texel / width), i % channels);
  }),
  coverage: new Uint8Array(width * height).fill(INSIDE),
});

describe('a field at half its size', () => {
  it('is the mean of what is measured, and shows what is to be looked at', () => {
    const field = fieldOf(5, 2, 1, (x) => x);
    field.coverage.set([INSIDE, PADDING, DOUBTFUL, MISSED, INSIDE, PADDING, PADDING, OUTSIDE, INSIDE, OUTSIDE]);
    field.values.set([1, 100, 4, 999, 7, 100, 100, 999, 6, 999]);
    const { width, height, values, coverage } = halveField(field);
    expect([width, height]).toEqual([3, 1]);
    expect([...coverage]).toEqual([INSIDE, MISSED, INSIDE]);
    expect([...values]).toEqual([1, 5, 7]);
  });
});

describe('pictures of a field', () => {
  const W = 1300;
  const H = 700;

  it.each([1, 3] as const)('come back block by block from where the head says, %d channels', async (channels) => {
    const field = fieldOf(W, H, channels, (x, y, k) => x / 100 - y / 50 + k);
    field.coverage[(H - 1) * W] = MISSED;
    const file = await writePyramid(field, testZlib);
    const pyramid = readPyramidHead(file.subarray(0, pyramidHeadBytes(W, H)));
    expect(pyramid.levels.map((l) => [l.step, l.width, l.height, l.columns, l.rows])).toEqual([
      [2, 650, 350, 3, 2], [4, 325, 175, 2, 1], [8, 163, 88, 1, 1],
    ]); // prettier-ignore
    expect(pyramid.offsets.at(-1)).toBe(file.length);
    const block = (level: number, x: number, y: number) => {
      const l = pyramid.levels[level];
      const i = l.first + y * l.columns + x;
      return readPyramidBlock(pyramid, l, x, y, file.subarray(pyramid.offsets[i], pyramid.offsets[i + 1]), testZlib);
    };
    const corner = await block(0, 0, 1);
    expect([corner.width, corner.height]).toEqual([BLOCK_SIDE, 350 - BLOCK_SIDE]);
    expect(corner.coverage[(corner.height - 1) * corner.width]).toBe(MISSED);
    // the texel of the level lies between those of the field
    const [x, y] = [100, 20];
    const mean = (2 * x + 0.5) / 100 - (2 * (BLOCK_SIDE + y) + 0.5) / 50;
    expect(corner.values[channels * (y * corner.width + x)]).toBeCloseTo(mean, 2);
    const last = await block(2, 0, 0);
    expect(last.coverage[(last.height - 1) * last.width]).toBe(MISSED);
  });

  it('take at most a third of a field, and none where it is a block itself', async () => {
    let seed = 1;
    const noise = fieldOf(1024, 1024, 1, () => (seed = (seed * 16807) % 2147483647) / 2147483647);
    const stored = await writeField(noise, fieldRecordOf({ kind: 'scalar' }), new Float32Array(0), testZlib);
    expect((await writePyramid(noise, testZlib)).length / stored.length).toBeLessThan(1 / 3);
    expect(pyramidLevels(BLOCK_SIDE, BLOCK_SIDE)).toEqual([]);
  });

  it('are refused where they are none or end too early', async () => {
    const file = await writePyramid(
      fieldOf(600, 600, 1, () => 0),
      testZlib,
    );
    expect(() => readPyramidHead(file.subarray(0, 20))).toThrow(/end too early/);
    expect(() => readPyramidHead(new Uint8Array(64))).toThrow(/no pictures of a field/);
    const pyramid = readPyramidHead(file);
    await expect(readPyramidBlock(pyramid, pyramid.levels[0], 0, 0, file.subarray(pyramid.offsets[0] + 3), testZlib)).rejects.toThrow();
  });
});

describe('rows of a field', () => {
  it('are read without the rest of the file', async () => {
    const field = fieldOf(90, 61, 3, (x, y, k) => x + 100 * y + k / 4);
    field.coverage[40 * 90 + 7] = DOUBTFUL;
    const file = await writeField(field, fieldRecordOf({ kind: 'vector' }), new Float32Array(4096), testZlib);
    const asked: number[] = [];
    const rows = await openFieldRows({ bytes: file.length, read: (from, to) => (asked.push(to - from), Promise.resolve(file.slice(from, to))) }, testZlib); // prettier-ignore
    const some = await rows.read(37, 6);
    expect([some.width, some.height, some.channels]).toEqual([90, 6, 3]);
    expect([...some.values]).toEqual([...field.values.subarray(3 * 37 * 90, 3 * 43 * 90)]);
    expect([...some.coverage]).toEqual([...field.coverage.subarray(37 * 90, 43 * 90)]);
    expect((await rows.read(60, 16)).height).toBe(1);
    expect(asked[1]).toBeLessThan(file.length / 2);
  });
});

describe('the spread of a field', () => {
  it('counts each component in bars on both sides of 0, and nothing but what is inside', () => {
    const field = fieldOf(4, 1, 3, (x, _, k) => (k === 0 ? x : k === 1 ? -x : 0));
    field.coverage[3] = PADDING;
    const { most, counts } = fieldSpread(field);
    expect([most, counts.map((bars) => bars.length)]).toEqual([2, [SPREAD_BARS, SPREAD_BARS, SPREAD_BARS]]);
    const at = (k: number, from: number, to: number) => counts[k].slice(from, to).reduce((a, b) => a + b, 0);
    expect([at(0, 0, SPREAD_BARS / 2), at(0, SPREAD_BARS / 2, SPREAD_BARS), counts[0][SPREAD_BARS - 1]]).toEqual([0, 3, 1]);
    expect([counts[1][0], at(1, 0, SPREAD_BARS / 2), counts[2][SPREAD_BARS / 2]]).toEqual([1, 2, 3]);
  });
});
