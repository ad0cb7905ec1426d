import type { Allocate } from '../runtime/threads';
import { placeU32 } from '../runtime/threads';
import { binTriangles } from '../uv/rasterise';
import { tileOrigin } from '../uv/tiles';

/** Rows of texels that are measured together. */
export const BAND_ROWS = 32;

/** A tile's triangles by the bands that they touch: those of band k are `items` from `offsets[k]` up to `offsets[k + 1]`, ascending. */
export interface TileBins {
  readonly offsets: Uint32Array; // bands + 1
  readonly items: Uint32Array;
}

/** Triangles of a base with their UVs. */
interface BaseTriangles {
  readonly lowFaces: Uint32Array; // T, the light mesh's face under each
  readonly uvCorners: Uint32Array; // 3 T
  readonly uvs: Float32Array;
}

/** A tile's triangles in bands, in memory that all threads see.
 *  @param lowTiles tile of each face of the light mesh @returns null where the tile has no triangle */
export function binsOfTile(
  { lowFaces, uvCorners: corners, uvs }: BaseTriangles,
  lowTiles: Uint16Array,
  tile: number,
  height: number,
  allocate: Allocate,
): TileBins | null {
  const selected = trianglesOfTile(lowFaces, lowTiles, tile);
  if (selected.length === 0) return null;
  const { offsets, items } = binTriangles({ uvs, corners, selected, origin: tileOrigin(tile) }, height, BAND_ROWS);
  return { offsets, items: placeU32(items, allocate) };
}

/** Triangles of a tile, ascending. */
function trianglesOfTile(lowFaces: Uint32Array, lowTiles: Uint16Array, tile: number): Uint32Array {
  let count = 0;
  for (let t = 0; t < lowFaces.length; t++) if (lowTiles[lowFaces[t]] === tile) count++;
  const out = new Uint32Array(count);
  count = 0;
  for (let t = 0; t < lowFaces.length; t++) if (lowTiles[lowFaces[t]] === tile) out[count++] = t;
  return out;
}
