import { DOUBTFUL, INSIDE, MISSED, OUTSIDE, PADDING } from '@estampe/core';
import type { LoadedField } from '../workers/field-messages';
import { NOTHING } from '../shared/piece-store';
import { drawRubbing } from './relief';
import { drawField, drawGround, fillUvFaces } from './sheet-picture';
import { boxOf, cornerOf, tileAt, viewOf } from './sheet-tiles';

const field: LoadedField = {
  width: 3,
  height: 2,
  channels: 1,
  kind: 'scalar',
  values: Float32Array.of(0, 2, -2, 1, 0, 9),
  coverage: Uint8Array.of(INSIDE, INSIDE, INSIDE, PADDING, OUTSIDE, MISSED),
  histogram: { from: -2, to: 2, counts: new Uint32Array(1), total: 3 },
};
const look = { white: 2, range: null, ground: [243, 238, 228], greenDown: false, light: null } as const;
function image(width: number, height: number): ImageData {
  const picture = { width, height, data: new Uint8ClampedArray(4 * width * height) } as unknown as ImageData;
  drawGround(picture, look.ground);
  return picture;
}

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

describe('relief', () => {
  const light = { azimuthRad: -Math.PI / 2, elevationRad: Math.PI / 6 }; // from the left, low
  const roof = Array.from({ length: 64 }, (_, i) => 4 - Math.abs((i % 8) - 3.5)); // a ridge from top to bottom
  const grey = (picture: ImageData, x: number, y: number): number => picture.data[4 * (y * picture.width + x)];

  it('lights the slope that faces the light and leaves the other in the dark; flat ground lies between', () => {
    const picture = image(8, 8);
    const map: LoadedField = { ...field, width: 8, height: 8, values: Float32Array.from(roof), coverage: new Uint8Array(64).fill(INSIDE) };
    drawField(picture, map, { x: 4, y: 4, zoom: 1 }, { ...look, white: 0.5, light });
    const flat = image(8, 8);
    drawField(flat, { ...map, values: new Float32Array(64) }, { x: 4, y: 4, zoom: 1 }, { ...look, light });
    expect(grey(flat, 4, 4)).toBeCloseTo(255 * (0.1 + 0.9 * 0.5), -1);
    expect(grey(picture, 1, 4)).toBeGreaterThan(grey(flat, 1, 4) + 20);
    expect(grey(picture, 6, 4)).toBeLessThan(grey(flat, 6, 4) - 20);
  });
  it('shows a tile as far as it has been measured, over what lies below', () => {
    const picture = image(8, 8);
    drawGround(picture, [1, 2, 3]);
    const data = Int16Array.from(roof, (h, i) => (i < 32 ? 8000 * h : NOTHING));
    drawRubbing(picture, { kind: 'scalar', width: 8, height: 8, range: 4, data }, { x: 8, y: 8, zoom: 0.5 }, 16, light);
    expect(grey(picture, 1, 3)).toBeGreaterThan(grey(picture, 6, 3));
    expect([...picture.data.subarray(4 * 8 * 5, 4 * 8 * 5 + 3)]).toEqual([1, 2, 3]);
  });
});

describe('lit faces on the Sheet', () => {
  it('are filled along their outlines, V upwards, and faces that are not there are passed over', () => {
    const drawn: string[] = [];
    const note =
      (name: string) =>
      (...at: number[]): void =>
        void drawn.push([name, ...at].join(' '));
    const context = { canvas: { width: 100, height: 100 }, beginPath: note('begin'), moveTo: note('move'), lineTo: note('line'), closePath: note('close'), fill: note('fill') }; // prettier-ignore
    const outlines = { uvLines: Float32Array.of(0, 0, 1, 0, 1, 0, 1, 1, 1, 1, 0, 0), uvLinesOfFaces: Uint32Array.of(0, 3) };
    fillUvFaces(context as unknown as CanvasRenderingContext2D, outlines, [0, 9], 100, { x: 50, y: 50, zoom: 1 });
    expect(drawn).toEqual(['begin', 'move 0 100', 'line 100 100', 'line 100 0', 'close', 'fill']);
  });
});

describe('tiles on the Sheet', () => {
  it('lie in tens, rows upwards, and a texel knows its tile', () => {
    expect([1001, 1002, 1011].map((tile) => cornerOf(tile, 64))).toEqual([[0, -0], [64, -0], [0, -64]]); // prettier-ignore
    for (const tile of [1001, 1002, 1010, 1011, 1035]) {
      const [x, y] = cornerOf(tile, 64);
      expect(tileAt(x + 5.5, y + 7.5, 64)).toEqual({ tile, x: 5, y: 7 });
    }
    expect(tileAt(-1, 5, 64).tile).toBe(0);
    expect(tileAt(5, 65, 64).tile).toBe(0);
  });
  it('are shown whole, all or one', () => {
    const view = viewOf([1001, 1002, 1011, 1012], 64, { width: 400, height: 300 });
    expect([view.x, view.y]).toEqual([64, 0]);
    expect(128 * view.zoom).toBeCloseTo(0.92 * 300, 9);
    expect(viewOf([1012], 64, { width: 400, height: 300 })).toMatchObject({ x: 96, y: -32 });
    // an island left of and below all tiles comes into view; one that only touches a tile's edge changes nothing
    const outside = boxOf(Float32Array.of(-1, -0.5, -0.5, -0.5, 0.2, 0.2, 1, 1));
    const all = viewOf([1001], 64, { width: 400, height: 300 }, outside);
    expect([all.x, all.y, all.zoom * 128]).toEqual([0, 64 * 0.75, expect.closeTo(0.92 * 400, 9)]);
    expect(viewOf([1001], 64, { width: 400, height: 300 }, boxOf(Float32Array.of(0, 0, 1.001, 1)))).toEqual(
      viewOf([1001], 64, { width: 400, height: 300 }),
    );
  });
});
