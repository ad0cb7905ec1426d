import { DataTexture, NearestFilter, RGBAFormat } from 'three';
import type { Marks } from '../workers/field-messages';

/** Colours of marked texels; in a room where colours fail, the legend's counts and the Sheet's hatch say the same. */
export const MARK_CSS = { missed: '#a83a2a', doubtful: '#c98d1c', clipped: '#1f4e6b', mended: '#2f7566' } as const;
export const MARK_RGB = [null, [168, 58, 42], [201, 141, 28], [31, 78, 107], [47, 117, 102]] as const;

/** Marked texels as a picture to lay on the surface, a texel wider than they are so that single ones are seen. */
export function marksTexture({ side, classes }: Marks): DataTexture {
  const data = new Uint8Array(4 * side * side);
  const grow = Math.max(1, Math.round(side / 512));
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const rgb = MARK_RGB[classes[y * side + x]];
      if (rgb === null) continue;
      for (let dy = -grow; dy <= grow; dy++)
        for (let dx = -grow; dx <= grow; dx++) {
          const [px, py] = [x + dx, y + dy];
          if (px < 0 || py < 0 || px >= side || py >= side) continue;
          // textures run from the bottom up
          const o = 4 * ((side - 1 - py) * side + px);
          if (data[o + 3] === 255 && (dx !== 0 || dy !== 0)) continue;
          data.set(rgb, o);
          data[o + 3] = 255;
        }
    }
  const texture = new DataTexture(data, side, side, RGBAFormat);
  texture.minFilter = texture.magFilter = NearestFilter;
  texture.needsUpdate = true;
  return texture;
}
