import type { SheetView } from './sheet-picture';

/** Columns and rows of the tiles, in the order that tiles are numbered in (UDIM): ten in a row, rows upwards. */
export const columnOf = (tile: number): number => (tile - 1001) % 10;
export const rowOf = (tile: number): number => Math.floor((tile - 1001) / 10);

/** Upper left corner of a tile on the Sheet, in texels; the Sheet's own origin is that of tile 1001. @param size texels of a tile's side */
export const cornerOf = (tile: number, size: number): readonly [number, number] => [columnOf(tile) * size, -rowOf(tile) * size];

/** The tile that a texel of the Sheet lies in, and the texel in it. */
export function tileAt(x: number, y: number, size: number): { readonly tile: number; readonly x: number; readonly y: number } {
  const column = Math.floor(x / size);
  const row = -Math.floor(y / size);
  return {
    tile: column < 0 || column > 9 || row < 0 ? 0 : 1001 + column + 10 * row,
    x: Math.floor(x) - column * size,
    y: Math.floor(y) + row * size,
  };
}

/** A view that shows some tiles whole. @param box canvas pixels */
export function viewOf(tiles: readonly number[], size: number, box: { readonly width: number; readonly height: number }): SheetView {
  const columns = tiles.map(columnOf);
  const rows = tiles.map(rowOf);
  const [left, right] = [Math.min(...columns), Math.max(...columns) + 1];
  const [bottom, top] = [Math.min(...rows), Math.max(...rows) + 1];
  const fill = 0.92;
  return {
    x: (size * (left + right)) / 2,
    // rows go up, texels go down
    y: size - (size * (bottom + top)) / 2,
    zoom: fill * Math.min(box.width / ((right - left) * size), box.height / ((top - bottom) * size)),
  };
}
