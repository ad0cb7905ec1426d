import { Injectable, signal } from '@angular/core';

export const UV_COLOURS = ['none', 'stretch', 'density', 'squares'] as const;
export type UvColours = (typeof UV_COLOURS)[number];

/** What Stage and Sheet colour the light mesh by while the step Sheet is open. */
@Injectable({ providedIn: 'root' })
export class ShownUvColours {
  readonly by = signal<UvColours>('none');
}

type Rgb = readonly [number, number, number];
const LEAF: Rgb = [251, 248, 242];
const INK: Rgb = [35, 33, 29];
const PRUSSIAN: Rgb = [31, 78, 107];
const MADDER: Rgb = [168, 58, 42];
const between = (a: Rgb, b: Rgb, t: number): Rgb => [0, 1, 2].map((k) => Math.round(a[k] + (b[k] - a[k]) * t)) as unknown as Rgb;

/** What has a value a face. */
export type FaceColours = Exclude<UvColours, 'none' | 'squares'>;

/** The end of each scale, as a logarithm to base 2: texels four times as long as wide; twice or half as many of them. */
export const FULL: Readonly<Record<FaceColours, number>> = { stretch: 2, density: 1 };

/** The colouring, if it is one by values. */
export const byValues = (by: UvColours): FaceColours | null => (by === 'none' || by === 'squares' ? null : by);

/** Stretch from leaf to ink; density from prussian (few texels) over leaf to madder (many). @param value as in the core's UvLayers */
export function uvColour(by: FaceColours, value: number): Rgb {
  const t = Math.min(1, Math.max(-1, value / FULL[by]));
  if (by === 'stretch') return between(LEAF, INK, Math.max(0, t));
  return between(LEAF, t < 0 ? PRUSSIAN : MADDER, Math.abs(t));
}
