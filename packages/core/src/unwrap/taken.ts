import type { BitGrid } from './bit-grid';
import { bitGrid, markTriangle, stamp } from './bit-grid';

/** What stays where it is while islands are packed around it. */
export interface Taken {
  /** Triangles in UV space, six numbers each. */
  readonly triangles: Float64Array;
  /** UV length for each unit of the surface: packed islands are no larger, so that texels are alike where there is room. */
  readonly density: number;
}

/** Rasters of the tiles with what is taken, and the gap around it. @param cells of a tile's side */
export function takenGrids({ triangles }: Taken, cells: number, gap: number, tiles: number): BitGrid[] {
  return Array.from({ length: tiles }, (_, tile) => {
    const raw = bitGrid(cells, cells);
    const [u, v] = [tile % 10, Math.floor(tile / 10)];
    for (let t = 0; t < triangles.length; t += 6)
      markTriangle(
        raw,
        Array.from(triangles.subarray(t, t + 6), (x, k) => (x - (k % 2 === 0 ? u : v)) * cells),
      );
    const out = bitGrid(cells, cells);
    stamp(out, raw, 0, 0, gap);
    return out;
  });
}
