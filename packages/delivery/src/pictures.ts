import type { UpAxis } from '@estampe/contracts';
import type { PolyMesh, Raster } from '@estampe/core';
import { renderClay, writePng } from '@estampe/core';
import { nodeZlib } from '@estampe/node';

const MAP_SIDE = 220;
const FORM = { width: 300, height: 220 };

/** A small PNG of a map: what is stored, levelled so that the lowest value is black and the highest white for a single channel. */
export async function mapPicture({ width, height, channels, values }: Raster): Promise<Uint8Array> {
  const k = Math.max(width, height) / MAP_SIDE;
  const [W, H] = [Math.max(1, Math.round(width / k)), Math.max(1, Math.round(height / k))];
  const data = new Uint8Array(3 * W * H);
  let lo = 0;
  let hi = 1;
  if (channels === 1) {
    lo = Infinity;
    hi = -Infinity;
    for (const v of values) {
      if (v < lo) lo = v;
      if (v > hi) hi = v;
    }
    if (!(hi > lo)) [lo, hi] = [lo - 0.5, lo + 0.5];
  }
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const i =
        Math.min(height - 1, Math.floor(((y + 0.5) * height) / H)) * width + Math.min(width - 1, Math.floor(((x + 0.5) * width) / W));
      for (let c = 0; c < 3; c++) {
        const v = (values[channels * i + (channels === 1 ? 0 : c)] - lo) / (hi - lo);
        data[3 * (y * W + x) + c] = Math.round(255 * Math.min(1, Math.max(0, v)));
      }
    }
  return writePng({ width: W, height: H, channels: 3, data, description: '' }, nodeZlib);
}

/** A small PNG of a mesh in clay. */
export async function formPicture(mesh: PolyMesh, up: UpAxis): Promise<Uint8Array> {
  const { width, height, rgb } = renderClay(mesh, FORM.width, FORM.height, up);
  return writePng({ width, height, channels: 3, data: rgb, description: '' }, nodeZlib);
}
