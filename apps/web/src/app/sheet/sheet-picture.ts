import { DOUBTFUL, MISSED, PADDING } from '@estampe/core';
import type { LoadedField } from '../workers/field-messages';

/** Where the Sheet looks: texel at the canvas centre and canvas pixels a texel. */
export interface SheetView {
  readonly x: number;
  readonly y: number;
  readonly zoom: number;
}

const MISSED_RGB = [168, 58, 42] as const;
const DOUBTFUL_RGB = [154, 106, 20] as const;
const OUTSIDE_RGB = [243, 238, 228] as const;

/** Draws a part of a field as grey: rest is mid grey, `white` units above it is white. Missed and doubtful texels stand out in their own
 *  colour, padding is paler. Nearest texels, so that a texel is seen as it is. */
export function drawField(image: ImageData, { values, coverage, width: W, height: H }: LoadedField, view: SheetView, white: number): void {
  const { data, width, height } = image;
  for (let py = 0; py < height; py++) {
    const ty = Math.floor(view.y + (py - height / 2) / view.zoom);
    for (let px = 0; px < width; px++) {
      const tx = Math.floor(view.x + (px - width / 2) / view.zoom);
      const o = 4 * (py * width + px);
      data[o + 3] = 255;
      const i = ty * W + tx;
      const c = tx < 0 || ty < 0 || tx >= W || ty >= H ? -1 : coverage[i];
      const special = c === MISSED ? MISSED_RGB : c === DOUBTFUL ? DOUBTFUL_RGB : c <= 0 ? OUTSIDE_RGB : null;
      if (special) {
        data[o] = special[0];
        data[o + 1] = special[1];
        data[o + 2] = special[2];
        continue;
      }
      let grey = 128 + (127 * values[i]) / white;
      if (c === PADDING) grey = 0.6 * grey + 0.4 * 243;
      data[o] = data[o + 1] = data[o + 2] = grey;
    }
  }
}

/** Outlines of UV faces (u, v, u, v relative to the tile) over the picture. */
export function drawUvLines(
  context: CanvasRenderingContext2D,
  lines: Float32Array,
  origin: readonly [number, number],
  size: number,
  view: SheetView,
): void {
  const { width, height } = context.canvas;
  const x = (u: number): number => ((u - origin[0]) * size - view.x) * view.zoom + width / 2;
  const y = (v: number): number => ((1 - (v - origin[1])) * size - view.y) * view.zoom + height / 2;
  context.beginPath();
  for (let i = 0; i < lines.length; i += 4) {
    context.moveTo(x(lines[i]), y(lines[i + 1]));
    context.lineTo(x(lines[i + 2]), y(lines[i + 3]));
  }
  context.stroke();
}
