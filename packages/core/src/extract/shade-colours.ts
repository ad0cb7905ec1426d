import type { Field } from '../raster/field';
import { isMeasured } from '../raster/field';
import type { ShadingKind } from '../raster/map-kinds';
import { MAP_KINDS } from '../raster/map-kinds';

/** What a colour map is darkened by, and how strongly (0 leaves it alone, 1 to black where nothing is open). */
export interface ColourShade {
  readonly by: ShadingKind;
  readonly strength: number;
  /** How the colours are stored: they are darkened as light, so sRGB values are turned to light and back. */
  readonly space: 'sRGB' | 'linear';
}

/** IEC 61966-2-1. */
export const lightOfSrgb = (c: number): number => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4);
export const srgbOfLight = (l: number): number => (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055);

/** Darkens colours where another map of the same pass says that little light comes: by the share that is not open, or by the hollow. Where that
 *  map found nothing the colour stays as it is.
 *  @param colours three channels, changed in place @param shade one channel of the same size */
export function shadeColoursInPlace(colours: Field, shade: Field, how: ColourShade): void {
  const { values, coverage } = colours;
  for (let i = 0; i < coverage.length; i++) {
    if (!isMeasured(coverage[i]) || !isMeasured(shade.coverage[i])) continue;
    darkenAt(values, i, shade.values[i], how);
  }
}

/** The same for reads off the grid: NaN where the shade has no value leaves the colour. @param colours 3 N @param shade N */
export function shadeReadsInPlace(colours: Float32Array, shade: Float32Array, how: ColourShade): void {
  for (let i = 0; i < shade.length; i++) if (!Number.isNaN(shade[i])) darkenAt(colours, i, shade[i], how);
}

function darkenAt(colours: Float32Array, i: number, shade: number, { by, strength, space }: ColourShade): void {
  const x = Math.min(1, Math.max(0, shade));
  const left = 1 - strength * Math.abs(MAP_KINDS[by].rest - x);
  for (let o = 3 * i; o < 3 * i + 3; o++) colours[o] = space === 'linear' ? left * colours[o] : srgbOfLight(left * lightOfSrgb(colours[o]));
}
