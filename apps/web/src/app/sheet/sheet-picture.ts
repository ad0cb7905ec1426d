import { DOUBTFUL, MAP_KINDS, MENDED, MISSED, OUTSIDE, PADDING } from '@estampe/core';
import type { LightDirection } from '../shared/raking-light';
import type { LoadedField } from '../workers/field-messages';
import { shadeUnder } from './relief';

/** Where the Sheet looks: texel at the canvas centre and canvas pixels a texel. */
export interface SheetView {
  readonly x: number;
  readonly y: number;
  readonly zoom: number;
}

const MISSED_RGB = [168, 58, 42] as const;
const DOUBTFUL_RGB = [201, 141, 28] as const;
const CLIPPED_RGB = [31, 78, 107] as const;
const MENDED_RGB = [47, 117, 102] as const;
const HATCH_PX = 6;
/** Below this zoom a hatch could swallow a single texel: colour alone then. */
const HATCH_ZOOM = 3;

export interface FieldLook {
  /** Units above rest that are drawn white. */
  readonly white: number;
  /** Range of the encoding; heights beyond it are marked. Null when nothing is cut off. */
  readonly range: { readonly low: number; readonly high: number } | null;
  /** Ground of the Sheet, where nothing is measured. */
  readonly ground: readonly [number, number, number];
  /** Green of a normal map drawn the way it is stored. */
  readonly greenDown: boolean;
  /** Draws what has one channel in relief, under this light; null draws its values. */
  readonly light: LightDirection | null;
}

/** Fills a picture with the Sheet's ground. */
export function drawGround({ data }: ImageData, [r, g, b]: FieldLook['ground']): void {
  for (let o = 0; o < data.length; o += 4) {
    [data[o], data[o + 1], data[o + 2]] = [r, g, b];
    data[o + 3] = 255;
  }
}

/** What of a field is drawn: all of it, or a block of one of its levels. */
export type DrawnField = Pick<LoadedField, 'width' | 'height' | 'channels' | 'kind' | 'values' | 'coverage'>;
/** Where it lies in the tile: its corner and the size of its texels, in texels of the tile, and how many of its own make the tile's side. */
export interface Place {
  readonly x: number;
  readonly y: number;
  readonly step: number;
  readonly side: number;
}

/** First pixel that a stretch of texels covers, and the one behind the last. @param centre texel in the middle of the canvas @param size pixels of its side */
function pixelsOf(from: number, length: number, centre: number, zoom: number, size: number): readonly [number, number] {
  const at = (texel: number): number => size / 2 + (texel - centre) * zoom;
  return [Math.max(0, Math.floor(at(from))), Math.min(size, Math.ceil(at(from + length)) + 1)];
}

/** Draws a part of a field over the ground: heights and vectors with rest in the middle grey, what has no sign from black, normals in their stored colours. Missed, doubtful, clipped and mended texels stand
 *  out by colour and by hatch (rising, dots, falling); padding is paler. Nearest texels, so that a texel is seen as it is. */
export function drawField(
  image: ImageData,
  field: DrawnField,
  view: SheetView,
  { white, range, ground, greenDown, light }: FieldLook,
  place: Place = { x: 0, y: 0, step: 1, side: field.width },
): void {
  const { values, coverage, width: W, height: H, channels, kind } = field;
  const { quantity, signed } = MAP_KINDS[kind];
  const { data, width, height } = image;
  const shade = light === null || channels === 3 ? null : shadeUnder(light, white, place.side);
  const [left, right] = pixelsOf(place.x, W * place.step, view.x, view.zoom, width);
  const [upper, lower] = pixelsOf(place.y, H * place.step, view.y, view.zoom, height);
  const slope = (i: number, a: number, b: number): number =>
    ((coverage[b] === OUTSIDE ? values[i] : values[b]) - (coverage[a] === OUTSIDE ? values[i] : values[a])) / 2;
  for (let py = upper; py < lower; py++) {
    const ty = Math.floor((view.y + (py - height / 2) / view.zoom - place.y) / place.step);
    if (ty < 0 || ty >= H) continue;
    for (let px = left; px < right; px++) {
      const tx = Math.floor((view.x + (px - width / 2) / view.zoom - place.x) / place.step);
      if (tx < 0 || tx >= W) continue;
      const o = 4 * (py * width + px);
      const i = ty * W + tx;
      const c = coverage[i];
      if (c === OUTSIDE) continue;
      for (let k = 0; k < 3; k++) {
        const value = values[channels === 1 ? i : 3 * i + k];
        let grey = shade
          ? shade(slope(i, tx > 0 ? i - 1 : i, tx + 1 < W ? i + 1 : i), slope(i, ty > 0 ? i - W : i, ty + 1 < H ? i + W : i))
          : quantity === 'direction'
            ? 127.5 * (1 + (k === 1 && greenDown ? -1 : 1) * value)
            : !signed
              ? (255 * value) / white
              : 128 + (127 * value) / white;
        if (c === PADDING) grey = 0.6 * grey + 0.4 * ground[k];
        data[o + k] = grey;
      }
      const clipped = range !== null && c !== PADDING && channels === 1 && (values[i] < range.low || values[i] > range.high);
      const mark = c === MISSED ? MISSED_RGB : c === DOUBTFUL ? DOUBTFUL_RGB : clipped ? CLIPPED_RGB : c === MENDED ? MENDED_RGB : null;
      if (mark && (view.zoom < HATCH_ZOOM || hatched(px, py, mark))) [data[o], data[o + 1], data[o + 2]] = mark;
    }
  }
}

function hatched(px: number, py: number, mark: readonly number[]): boolean {
  if (mark === MISSED_RGB) return (px + py) % HATCH_PX < HATCH_PX - 2;
  if (mark === MENDED_RGB) return px % HATCH_PX < 2;
  if (mark === CLIPPED_RGB) return (px - py + 65536) % HATCH_PX < HATCH_PX - 2;
  return px % 4 < 3 && py % 4 < 3;
}

/** Outlines of UV faces (u, v, u, v), and where each face's begins. */
export interface Outlines {
  readonly uvLines: Float32Array;
  readonly uvLinesOfFaces: Uint32Array | null;
}

/** UV space on a canvas: places of u and v, the Sheet's origin at tile 1001. */
const onCanvas = ({ width, height }: HTMLCanvasElement, size: number, view: SheetView) => ({
  x: (u: number): number => (u * size - view.x) * view.zoom + width / 2,
  y: (v: number): number => ((1 - v) * size - view.y) * view.zoom + height / 2,
});

/** Outlines of UV faces over the picture. */
export function drawUvLines(context: CanvasRenderingContext2D, lines: Float32Array, size: number, view: SheetView): void {
  const { x, y } = onCanvas(context.canvas, size, view);
  context.beginPath();
  for (let i = 0; i < lines.length; i += 4) {
    context.moveTo(x(lines[i]), y(lines[i + 1]));
    context.lineTo(x(lines[i + 2]), y(lines[i + 3]));
  }
  context.stroke();
}

/** Fills every face with a colour of its own. */
export function paintUvFaces(
  context: CanvasRenderingContext2D,
  outlines: Outlines,
  colourOf: (face: number) => readonly [number, number, number],
  size: number,
  view: SheetView,
): void {
  const F = (outlines.uvLinesOfFaces?.length ?? 1) - 1;
  // faces of one colour at once: a fill each would take seconds
  const faces = new Map<string, number[]>();
  for (let f = 0; f < F; f++) {
    const colour = `rgb(${colourOf(f)
      .map((c) => c & ~7)
      .join(' ')})`;
    const list = faces.get(colour);
    if (list === undefined) faces.set(colour, [f]);
    else list.push(f);
  }
  for (const [colour, own] of faces) {
    context.fillStyle = colour;
    fillUvFaces(context, outlines, own, size, view);
  }
}

/** Fills some faces. */
export function fillUvFaces(
  context: CanvasRenderingContext2D,
  { uvLines, uvLinesOfFaces }: Outlines,
  faces: readonly number[],
  size: number,
  view: SheetView,
): void {
  if (uvLinesOfFaces === null || faces.length === 0) return;
  const { x, y } = onCanvas(context.canvas, size, view);
  context.beginPath();
  for (const f of faces) {
    if (f + 1 >= uvLinesOfFaces.length) continue;
    for (let c = uvLinesOfFaces[f]; c < uvLinesOfFaces[f + 1]; c++) {
      const place = [x(uvLines[4 * c]), y(uvLines[4 * c + 1])] as const;
      if (c === uvLinesOfFaces[f]) context.moveTo(...place);
      else context.lineTo(...place);
    }
    context.closePath();
  }
  context.fill();
}
