import { DataArrayTexture, NearestFilter, RedFormat } from 'three';
import type { Marks } from '../workers/field-messages';

/** Colours of marked texels; in a room where colours fail, the legend's counts and the Sheet's hatch say the same. */
export const MARK_CSS = { missed: '#a83a2a', doubtful: '#c98d1c', clipped: '#1f4e6b', mended: '#2f7566' } as const;
export const MARK_RGB = [null, [168, 58, 42], [201, 141, 28], [31, 78, 107], [47, 117, 102]] as const;

/** Tiles whose marks fit on the Stage at once: those with most of them. */
export const MARKED_TILES = 32;
/** Texels a side of a layer when there are many tiles: 32 MB altogether. */
const SIDE_OF_MANY = 1024;

/** Marked texels as layers to lay on the surface. */
export interface MarkLayers {
  /** A layer a tile, one byte a texel: its class, 0 for none. */
  readonly texture: DataArrayTexture;
  /** Tile of each layer. */
  readonly tiles: readonly number[];
}

/** Classes of all tiles, a texel wider than they are so that single ones are seen. */
export function markLayers(marks: readonly (readonly [tile: number, marks: Marks])[]): MarkLayers {
  const worst = [...marks].sort(([, a], [, b]) => noted(b) - noted(a)).slice(0, MARKED_TILES);
  const side = Math.min(SIDE_OF_MANY, Math.max(1, ...worst.map(([, m]) => m.side)));
  const data = new Uint8Array(side * side * Math.max(1, worst.length));
  worst.forEach(([, m], layer) => fillLayer(data.subarray(layer * side * side, (layer + 1) * side * side), side, m));
  const texture = new DataArrayTexture(data, side, side, Math.max(1, worst.length));
  texture.format = RedFormat;
  texture.minFilter = texture.magFilter = NearestFilter;
  texture.unpackAlignment = 1;
  texture.needsUpdate = true;
  return { texture, tiles: worst.map(([tile]) => tile) };
}

const noted = ({ missed, doubtful, clipped, mended }: Marks): number => missed + doubtful + clipped + mended;

/** What all tiles have together. */
export function sumOfMarks(marks: readonly Marks[]): Pick<Marks, 'missed' | 'doubtful' | 'clipped' | 'mended'> {
  const sum = (of: (m: Marks) => number): number => marks.reduce((n, m) => n + of(m), 0);
  return { missed: sum((m) => m.missed), doubtful: sum((m) => m.doubtful), clipped: sum((m) => m.clipped), mended: sum((m) => m.mended) };
}

function fillLayer(out: Uint8Array, side: number, { side: from, classes }: Marks): void {
  const grow = Math.max(1, Math.round(side / 512));
  const at = (v: number): number => Math.floor((v * side) / from);
  const exact = new Uint8Array(side * side);
  for (let y = 0; y < from; y++)
    for (let x = 0; x < from; x++) {
      const mark = classes[y * from + x];
      if (mark === 0) continue;
      const [cx, cy] = [at(x), at(y)];
      for (let py = Math.max(0, cy - grow); py <= Math.min(side - 1, cy + grow); py++)
        for (let px = Math.max(0, cx - grow); px <= Math.min(side - 1, cx + grow); px++) {
          // textures run from the bottom up
          const o = (side - 1 - py) * side + px;
          const own = px === cx && py === cy;
          // what is grown never covers a texel's own mark
          if (out[o] !== 0 && (!own || exact[o] === 1)) continue;
          out[o] = mark;
          if (own) exact[o] = 1;
        }
    }
}
