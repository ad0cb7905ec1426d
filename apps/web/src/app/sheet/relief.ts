import { holdsDirections, MAP_KINDS } from '@estampe/core';
import type { LightDirection } from '../shared/raking-light';
import type { Rubbing } from '../shared/piece-store';
import { NOTHING } from '../shared/piece-store';
import type { SheetView } from './sheet-picture';

/** A height as high as `white` over a fiftieth of the map's side stands at 45 degrees: flat enough to read, steep enough to see. */
const STEEP = 1 / 50;
const AMBIENT = 0.1;

/** Grey, 0 to 255, of a matt slope under the raking light.
 *  @param dx, dy rise a texel to the right and downwards, in the picture */
export type Shade = (dx: number, dy: number) => number;

/** @param white height that counts as high @param side texels of the map's side */
export function shadeUnder({ azimuthRad, elevationRad }: LightDirection, white: number, side: number): Shade {
  const k = (STEEP * side) / white;
  const x = Math.cos(elevationRad) * Math.sin(azimuthRad);
  const y = -Math.cos(elevationRad) * Math.cos(azimuthRad);
  const z = Math.sin(elevationRad);
  return (dx, dy) => {
    const [a, b] = [k * dx, k * dy];
    const lit = (z - a * x - b * y) / Math.sqrt(1 + a * a + b * b);
    return 255 * Math.min(1, AMBIENT + (1 - AMBIENT) * Math.max(0, lit));
  };
}

/** Draws the part of a tile that has been measured, in relief; the rest of the tile is left as it is.
 *  @param view in texels of the finished tile, whose side is `size` */
export function drawRubbing(image: ImageData, rubbing: Rubbing, view: SheetView, size: number, light: LightDirection): void {
  const { data, width: W, height: H, range, kind } = rubbing;
  const step = size / W;
  // the range is what could come; half of it is what mostly does
  const shade = shadeUnder(light, range / 2, W);
  // shares and directions have no height of their own to throw a shadow
  const flat = MAP_KINDS[kind].range === 'unit' || holdsDirections(kind);
  const { data: out, width, height } = image;
  for (let py = 0; py < height; py++) {
    const y = Math.floor((view.y + (py - height / 2) / view.zoom) / step);
    if (y < 0 || y >= H) continue;
    for (let px = 0; px < width; px++) {
      const x = Math.floor((view.x + (px - width / 2) / view.zoom) / step);
      if (x < 0 || x >= W) continue;
      const i = y * W + x;
      if (data[i] === NOTHING) continue;
      const at = (j: number, inside: boolean): number => (inside && data[j] !== NOTHING ? data[j] : data[i]);
      const slope = (a: number, b: number): number => ((b - a) / 2 / 32767) * range;
      const grey = flat
        ? (255 * Math.max(0, data[i])) / 32767
        : shade(slope(at(i - 1, x > 0), at(i + 1, x + 1 < W)), slope(at(i - W, y > 0), at(i + W, y + 1 < H)));
      const o = 4 * (py * width + px);
      out[o] = out[o + 1] = out[o + 2] = grey;
      out[o + 3] = 255;
    }
  }
}
