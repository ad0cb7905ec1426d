import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';

/** Tile number of unit square (i, j): 1001 + i + 10 j. */
export const tileNumber = (i: number, j: number): number => 1001 + i + 10 * j;
export const tileOrigin = (tile: number): readonly [number, number] => [(tile - 1001) % 10, Math.floor((tile - 1001) / 10)];

/** Tile of each face by its UV centroid: uint16[F]; 0 where the centroid lies outside the numbered tiles (u 0..10, v >= 0). */
export function faceTiles(mesh: PolyMesh, uvs: Float32Array, faceUvs: Uint32Array): Uint16Array {
  const F = faceCount(mesh);
  const out = new Uint16Array(F);
  for (let f = 0; f < F; f++) {
    let u = 0;
    let v = 0;
    const from = mesh.faceOffsets[f];
    const to = mesh.faceOffsets[f + 1];
    for (let c = from; c < to; c++) {
      u += uvs[2 * faceUvs[c]];
      v += uvs[2 * faceUvs[c] + 1];
    }
    const i = Math.floor(u / (to - from));
    const j = Math.floor(v / (to - from));
    out[f] = i >= 0 && i < 10 && j >= 0 && j < 100 ? tileNumber(i, j) : 0;
  }
  return out;
}

/** Tile numbers in use, ascending. */
export function tilesInUse(tiles: Uint16Array): number[] {
  const isUsed = new Uint8Array(1 << 16);
  for (let f = 0; f < tiles.length; f++) isUsed[tiles[f]] = 1;
  const used: number[] = [];
  for (let tile = 1; tile < isUsed.length; tile++) if (isUsed[tile] === 1) used.push(tile);
  return used;
}
