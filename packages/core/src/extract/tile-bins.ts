import type { PolyMesh } from '../mesh/poly-mesh';
import { requireUvs } from '../mesh/poly-mesh';
import type { Allocate, Range } from '../runtime/threads';
import { placeU32 } from '../runtime/threads';
import { binTriangles } from '../uv/rasterise';
import { faceTiles, tileOrigin, tilesInUse } from '../uv/tiles';

/** Rows of texels that are measured together. */
export const BAND_ROWS = 32;

/** A tile's triangles, or some of them, by the bands that they touch: those of band k are `items` from `offsets[k]` up to `offsets[k + 1]`, ascending. */
export interface TileBins {
  readonly offsets: Uint32Array; // bands + 1
  readonly items: Uint32Array;
}

/** Triangles of a base with their UVs. */
export interface BaseTriangles {
  readonly lowFaces: Uint32Array; // T, the light mesh's face under each
  readonly uvCorners: Uint32Array; // 3 T
  readonly uvs: Float32Array;
}

/** Bands of a tile. */
export const bandsOf = (height: number): number => Math.ceil(height / BAND_ROWS);

/** A band's triangles, ascending. @param bins of one range of triangles after the other */
export function trianglesOfBand(bins: readonly TileBins[], band: number): Uint32Array {
  const parts = bins.map(({ offsets, items }) => items.subarray(offsets[band], offsets[band + 1]));
  if (parts.length === 1) return parts[0];
  const out = new Uint32Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/** A tile's triangles in bands, in memory that all threads see.
 *  @param lowTiles tile of each face of the light mesh @param range of the triangles that are looked at
 *  @returns none where the tile has no triangle among them */
export function binsOfTile(
  { lowFaces, uvCorners: corners, uvs }: BaseTriangles,
  lowTiles: Uint16Array,
  tile: number,
  height: number,
  allocate: Allocate,
  range: Range = { from: 0, to: lowFaces.length },
): readonly TileBins[] {
  const selected = trianglesOfTile(lowFaces, lowTiles, tile, range);
  if (selected.length === 0) return [];
  const { offsets, items } = binTriangles({ uvs, corners, selected, origin: tileOrigin(tile) }, height, BAND_ROWS);
  return [{ offsets, items: placeU32(items, allocate) }];
}

/** The same of an asset's only tile; none also where it has several, which are put in bands when their turn comes. */
export function binsOfOnlyTile(low: PolyMesh, base: BaseTriangles, height: number, allocate: Allocate, range?: Range): readonly TileBins[] {
  const { uvs, faceUvs } = requireUvs(low);
  const lowTiles = faceTiles(low, uvs, faceUvs);
  const tiles = tilesInUse(lowTiles);
  return tiles.length === 1 ? binsOfTile(base, lowTiles, tiles[0], height, allocate, range) : [];
}

/** Triangles of a tile in a range, ascending. */
function trianglesOfTile(lowFaces: Uint32Array, lowTiles: Uint16Array, tile: number, { from, to }: Range): Uint32Array {
  let count = 0;
  for (let t = from; t < to; t++) if (lowTiles[lowFaces[t]] === tile) count++;
  const out = new Uint32Array(count);
  count = 0;
  for (let t = from; t < to; t++) if (lowTiles[lowFaces[t]] === tile) out[count++] = t;
  return out;
}
