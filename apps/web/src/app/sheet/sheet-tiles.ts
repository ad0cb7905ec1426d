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

/** Edges of a part of the UV plane, in sides of a tile. */
export interface UvBox {
  readonly left: number;
  readonly right: number;
  readonly bottom: number;
  readonly top: number;
}

/** What lines (u, v, u, v each) take up; null without any. */
export function boxOf(uvLines: Float32Array): UvBox | null {
  let [left, right, bottom, top] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < uvLines.length; i += 2) {
    const u = uvLines[i];
    const v = uvLines[i + 1];
    if (u < left) left = u;
    if (u > right) right = u;
    if (v < bottom) bottom = v;
    if (v > top) top = v;
  }
  return left <= right && bottom <= top ? { left, right, bottom, top } : null;
}

/** What reaches over a tile by less is not looked at for its own sake. */
const OVER = 0.01;

/** A view that shows some tiles whole, and what lies beyond them. @param box canvas pixels  @param beyond islands outside of all tiles, say */
export function viewOf(
  tiles: readonly number[],
  size: number,
  box: { readonly width: number; readonly height: number },
  beyond: UvBox | null = null,
): SheetView {
  const columns = tiles.map(columnOf);
  const rows = tiles.map(rowOf);
  const most = (own: number, other = own): number => (other > own + OVER ? other : own);
  const least = (own: number, other = own): number => (other < own - OVER ? other : own);
  const left = least(Math.min(...columns), beyond?.left);
  const right = most(Math.max(...columns) + 1, beyond?.right);
  const bottom = least(Math.min(...rows), beyond?.bottom);
  const top = most(Math.max(...rows) + 1, beyond?.top);
  const fill = 0.92;
  return {
    x: (size * (left + right)) / 2,
    // rows go up, texels go down
    y: size - (size * (bottom + top)) / 2,
    zoom: fill * Math.min(box.width / ((right - left) * size), box.height / ((top - bottom) * size)),
  };
}
