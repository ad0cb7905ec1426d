import type { Field } from '../raster/field';
import { OUTSIDE } from '../raster/field';

/** What a colour map is darkened by, and how strongly (0 leaves it alone, 1 to black where nothing is open). */
export interface ColourShade {
  readonly by: 'occlusion' | 'hollows';
  readonly strength: number;
  /** How the colours are stored: they are darkened as light, so sRGB values are turned to light and back. */
  readonly space: 'sRGB' | 'linear';
}

/** IEC 61966-2-1. */
export const lightOfSrgb = (c: number): number => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4);
export const srgbOfLight = (l: number): number => (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055);

/** Darkens colours where another map of the same pass says that little light comes: by the share that is not open, or by the hollow.
 *  @param colours three channels, changed in place @param shade one channel of the same size */
export function shadeColoursInPlace(colours: Field, shade: Field, { by, strength, space }: ColourShade): void {
  const { values, coverage } = colours;
  for (let i = 0; i < coverage.length; i++) {
    if (coverage[i] === OUTSIDE) continue;
    const x = Math.min(1, Math.max(0, shade.values[i]));
    const left = 1 - strength * (by === 'occlusion' ? 1 - x : x);
    for (let o = 3 * i; o < 3 * i + 3; o++) values[o] = space === 'linear' ? left * values[o] : srgbOfLight(left * lightOfSrgb(values[o]));
  }
}
