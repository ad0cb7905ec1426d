import type { Raster } from './field';

export type TextureFilter = 'bilinear' | 'nearest';

/** Reads one channel at (u, v) given relative to the tile (0..1, v up), clamped to the raster's border texels. */
export function sampleRaster(
  { width: W, height: H, channels, values }: Raster,
  channel: number,
  u: number,
  v: number,
  filter: TextureFilter,
): number {
  const x = u * W - 0.5;
  const y = (1 - v) * H - 0.5;
  if (filter === 'nearest') {
    const ix = Math.min(W - 1, Math.max(0, Math.floor(x + 0.5)));
    const iy = Math.min(H - 1, Math.max(0, Math.floor(y + 0.5)));
    return values[(iy * W + ix) * channels + channel];
  }
  const fx = Math.floor(x);
  const fy = Math.floor(y);
  const ax = x - fx;
  const ay = y - fy;
  const x0 = fx < 0 ? 0 : fx > W - 1 ? W - 1 : fx;
  const x1 = fx + 1 < 0 ? 0 : fx + 1 > W - 1 ? W - 1 : fx + 1;
  const r0 = (fy < 0 ? 0 : fy > H - 1 ? H - 1 : fy) * W;
  const r1 = (fy + 1 < 0 ? 0 : fy + 1 > H - 1 ? H - 1 : fy + 1) * W;
  const top = values[(r0 + x0) * channels + channel] * (1 - ax) + values[(r0 + x1) * channels + channel] * ax;
  const bottom = values[(r1 + x0) * channels + channel] * (1 - ax) + values[(r1 + x1) * channels + channel] * ax;
  return top * (1 - ay) + bottom * ay;
}
