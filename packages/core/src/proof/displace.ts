import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import type { Raster } from '../raster/field';
import type { TextureFilter } from '../raster/sample';
import { sampleRaster } from '../raster/sample';
import { InvalidInputError } from '../runtime/errors';
import type { BaseSurface } from '../subdivision/base-surface';
import { faceTiles, tilesInUse } from '../uv/tiles';
import type { CrackedMesh } from './cracked-mesh';
import { crackAtSeams } from './cracked-mesh';

/** Texel maps by tile number; one map without tiles stands under 1001. */
export type TileRasters = ReadonlyMap<number, Raster>;

/** The base taken apart along its UV seams, as a renderer reads it.
 *  @throws InvalidInputError NO_UVS; NO_TILE for a face outside the numbered tiles */
export function crackBase(low: PolyMesh, base: BaseSurface, subdivisions: number): CrackedMesh {
  const { uvs, faceUvs } = requireUvs(low);
  const lowTiles = faceTiles(low, uvs, faceUvs);
  const tiles = new Uint16Array(faceCount(base.mesh));
  const perCorner = subdivisions === 0 ? 0 : 4 ** (subdivisions - 1);
  for (let f = 0; f < lowTiles.length; f++) {
    if (lowTiles[f] === 0)
      throw new InvalidInputError('NO_TILE', `Face ${f} lies outside the numbered UV tiles; move its island and write the mesh again.`, {
        face: f,
      });
    if (perCorner === 0) tiles[f] = lowTiles[f];
    else tiles.fill(lowTiles[f], low.faceOffsets[f] * perCorner, low.faceOffsets[f + 1] * perCorner);
  }
  return crackAtSeams(base.mesh, tiles);
}

function requireTiles(cracked: CrackedMesh, maps: TileRasters): void {
  for (const tile of tilesInUse(cracked.tiles))
    if (!maps.has(tile))
      throw new InvalidInputError(
        'NO_TILE',
        `The mesh uses tile ${tile}, but there is no map for it; name the maps with <UDIM> and write all tiles.`,
        { tile },
      );
}

/** Positions of all copies, float32[3 N], each moved along its normal by its own read of the map.
 *  @throws InvalidInputError NO_TILE when a tile in use has no map */
export function displaceAlongNormals(
  base: BaseSurface,
  cracked: CrackedMesh,
  maps: TileRasters,
  filter: TextureFilter,
  channel: number,
  decode: (c: number) => number,
): Float32Array {
  const { positions: p } = base.mesh;
  const { normals: n } = base;
  requireTiles(cracked, maps);
  const out = new Float32Array(3 * cracked.points.length);
  for (let i = 0; i < cracked.points.length; i++) {
    const raster = maps.get(cracked.tiles[i]);
    if (raster === undefined) continue;
    const d = decode(sampleRaster(raster, channel, cracked.uvs[2 * i], cracked.uvs[2 * i + 1], filter));
    const v = 3 * cracked.points[i];
    const length = Math.sqrt(n[v] ** 2 + n[v + 1] ** 2 + n[v + 2] ** 2);
    const k = length === 0 ? 0 : d / length;
    out[3 * i] = p[v] + k * n[v];
    out[3 * i + 1] = p[v + 1] + k * n[v + 1];
    out[3 * i + 2] = p[v + 2] + k * n[v + 2];
  }
  return out;
}

/** Positions of all copies, float32[3 N], each moved by its own read of a map of offsets in object space.
 *  @throws InvalidInputError NO_TILE when a tile in use has no map */
export function displaceByOffsets({ mesh }: BaseSurface, cracked: CrackedMesh, maps: TileRasters, filter: TextureFilter): Float32Array {
  requireTiles(cracked, maps);
  const out = new Float32Array(3 * cracked.points.length);
  for (let i = 0; i < cracked.points.length; i++) {
    const raster = maps.get(cracked.tiles[i]);
    if (raster === undefined) continue;
    for (let k = 0; k < 3; k++)
      out[3 * i + k] =
        mesh.positions[3 * cracked.points[i] + k] + sampleRaster(raster, k, cracked.uvs[2 * i], cracked.uvs[2 * i + 1], filter);
  }
  return out;
}
