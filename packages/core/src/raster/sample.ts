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

/** The four texels that a bilinear read mixes, and their weights. */
export interface BilinearTexels {
  /** Upper left one; the others are i + 1, i + W and i + W + 1. */
  readonly i: number;
  readonly w00: number;
  readonly w10: number;
  readonly w01: number;
  readonly w11: number;
}

/** What `sampleRaster` mixes at (u, v), for rasters of two rows and columns at least: at the border the outer texels count twice.
 *  @returns one object a call; engines keep it off the heap where it is taken apart at once */
export function bilinearTexels(W: number, H: number, u: number, v: number): BilinearTexels {
  const x = Math.min(W - 1, Math.max(0, u * W - 0.5));
  const y = Math.min(H - 1, Math.max(0, (1 - v) * H - 0.5));
  const x0 = Math.min(W - 2, Math.floor(x));
  const y0 = Math.min(H - 2, Math.floor(y));
  const ax = x - x0;
  const ay = y - y0;
  return { i: y0 * W + x0, w00: (1 - ax) * (1 - ay), w10: ax * (1 - ay), w01: (1 - ax) * ay, w11: ax * ay };
}

/** The read of every channel from its four texels. Writes all of `out`, whose length is the number of channels. */
export function readTexels(out: Float64Array, values: Float32Array, W: number, { i, w00, w10, w01, w11 }: BilinearTexels): void {
  const channels = out.length;
  for (let k = 0; k < channels; k++) {
    const a = channels * i + k;
    const b = a + channels * W;
    out[k] = w00 * values[a] + w10 * values[a + channels] + w01 * values[b] + w11 * values[b + channels];
  }
}
