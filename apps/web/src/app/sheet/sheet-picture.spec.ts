import { DOUBTFUL, INSIDE, MISSED, OUTSIDE, PADDING } from '@estampe/core';
import type { LoadedField } from '../workers/field-messages';
import { drawField } from './sheet-picture';

const field: LoadedField = {
  width: 3,
  height: 2,
  channels: 1,
  kind: 'scalar',
  values: Float32Array.of(0, 2, -2, 1, 0, 9),
  coverage: Uint8Array.of(INSIDE, INSIDE, INSIDE, PADDING, OUTSIDE, MISSED),
  histogram: { from: -2, to: 2, counts: new Uint32Array(1), total: 3 },
};
const look = { white: 2, range: null, ground: [243, 238, 228], greenDown: false } as const;
const image = (width: number, height: number) =>
  ({ width, height, data: new Uint8ClampedArray(4 * width * height) }) as unknown as ImageData;

describe('the picture on the Sheet', () => {
  const at = (picture: ImageData, x: number, y: number): number[] => [
    ...picture.data.subarray(4 * (y * picture.width + x), 4 * (y * picture.width + x) + 4),
  ];
  const one = image(3, 2);
  drawField(one, field, { x: 1.5, y: 1, zoom: 1 }, look);

  it('draws rest as mid grey, the white height as white and as much below as black', () => {
    expect(at(one, 0, 0)).toEqual([128, 128, 128, 255]);
    expect(at(one, 1, 0)[0]).toBe(255);
    expect(at(one, 2, 0)[0]).toBe(1);
  });
  it('makes missed texels stand out, padding paler, and paper of what lies outside', () => {
    expect(at(one, 2, 1)).toEqual([168, 58, 42, 255]);
    expect(at(one, 0, 1)[0]).toBeGreaterThan(128 + 63); // the same height inside would be 191
    expect(at(one, 1, 1)).toEqual([243, 238, 228, 255]);
    const doubtful = image(3, 2);
    drawField(doubtful, { ...field, coverage: new Uint8Array(6).fill(DOUBTFUL) }, { x: 1.5, y: 1, zoom: 1 }, look);
    expect(at(doubtful, 0, 0)).toEqual([201, 141, 28, 255]);
  });
  it('hatches heights beyond the range, and leaves those within', () => {
    const clipped = image(3, 2);
    drawField(clipped, field, { x: 1.5, y: 1, zoom: 1 }, { ...look, range: { low: -3, high: 1 } });
    expect(at(clipped, 1, 0)).toEqual([31, 78, 107, 255]);
    expect(at(clipped, 2, 0)[0]).toBe(1);
  });
  it('draws normals in their stored colours, green the way it is stored', () => {
    const normals: LoadedField = {
      ...field,
      width: 1,
      height: 1,
      channels: 3,
      kind: 'normal',
      values: Float32Array.of(0, 1, 0),
      coverage: Uint8Array.of(INSIDE),
    };
    for (const [greenDown, green] of [
      [false, 255],
      [true, 0],
    ] as const) {
      const picture = image(1, 1);
      drawField(picture, normals, { x: 0.5, y: 0.5, zoom: 1 }, { ...look, greenDown });
      expect(at(picture, 0, 0)).toEqual([128, green, 128, 255]);
    }
  });
  it('shows whole texels when zoomed in, and paper beyond the tile', () => {
    const zoomed = image(8, 8);
    drawField(zoomed, field, { x: 0, y: 0, zoom: 4 }, look);
    expect(at(zoomed, 3, 3)).toEqual([243, 238, 228, 255]);
    for (const [x, y] of [[4, 4], [7, 7], [4, 7]]) expect(at(zoomed, x, y)).toEqual([128, 128, 128, 255]); // prettier-ignore
  });
  it('doubles the contrast with a stop of exposure', () => {
    const brighter = image(3, 2);
    drawField(brighter, { ...field, values: Float32Array.of(0.5, 0, 0, 0, 0, 0) }, { x: 1.5, y: 1, zoom: 1 }, { ...look, white: 1 });
    expect(at(brighter, 0, 0)[0]).toBe(Math.round(128 + 63.5));
  });
});
