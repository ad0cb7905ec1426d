import type { BitGrid } from './bit-grid';
import { bitGrid, firstFree, stamp, transposed, turned } from './bit-grid';
import type { BoxedIsland, IslandPlace } from './boxed-island';
import { shapeOf } from './boxed-island';

/** Which of the free places of an island is best: the lowest, the leftmost, the nearest to the corner. */
export type Side = 'low' | 'left' | 'corner';

/** Places islands one after another, each at the best free place of the first tile that has one; null where one finds none.
 *  @param order of the islands @param scale cells for each unit @param gap cells between islands
 *  @param begun rasters of tiles in which something lies already */
export function placeIslands(
  islands: readonly BoxedIsland[],
  { order, side }: { readonly order: readonly number[]; readonly side: Side },
  scale: number,
  {
    cells,
    gap,
    tiles,
    begun,
  }: { readonly cells: number; readonly gap: number; readonly tiles: number; readonly begun: readonly BitGrid[] },
): IslandPlace[] | null {
  const rim = Math.ceil(gap / 2);
  const there: Ground[] = [];
  const places: IslandPlace[] = [];
  for (const i of order) {
    const { width, height } = islands[i];
    if (Math.max(width, height) * scale > cells) return null;
    const quarters = [new Ground(shapeOf(islands[i], scale))];
    while (quarters.length < 4) quarters.push(new Ground(turned(quarters[quarters.length - 1].rows)));
    let best: (IslandPlace & { key: number }) | null = null;
    for (let tile = 0; tile < tiles && best === null; tile++) {
      there[tile] ??= new Ground(tile < begun.length ? { ...begun[tile], bits: begun[tile].bits.slice() } : bitGrid(cells, cells));
      for (let quarter = 0; quarter < 4; quarter++) {
        const found = bestPlace(there[tile], quarters[quarter], rim, side, best?.key ?? Infinity);
        if (found !== null) best = { ...found, quarter, tile };
      }
    }
    if (best === null) return null;
    there[best.tile].stamp(quarters[best.quarter], best.x, best.y, gap);
    places[i] = best;
  }
  return places;
}

const KEY = 65536;

/** The first free place in a side's order, if its key (by the island's far corner) is below a limit. */
function bestPlace(there: Ground, shape: Ground, rim: number, side: Side, below: number): { x: number; y: number; key: number } | null {
  const [w, h] = [shape.rows.width, shape.rows.height];
  const [right, top] = [there.rows.width - rim - w, there.rows.height - rim - h];
  if (side === 'low') {
    for (let y = rim; y <= top && (y + h) * KEY < below; y++) {
      const x = firstFree(there.rows, shape.rows, y, rim, right);
      if (x >= 0) return keyed(x, y, (y + h) * KEY + x + w, below);
    }
    return null;
  }
  if (side === 'left') {
    for (let x = rim; x <= right && (x + w) * KEY < below; x++) {
      const y = firstFree(there.columns(), shape.columns(), x, rim, top);
      if (y >= 0) return keyed(x, y, (x + w) * KEY + y + h, below);
    }
    return null;
  }
  // shells of equal distance from the corner, each from its ends inwards
  for (let m = rim + Math.max(w, h); m <= there.rows.width - rim && m * KEY < below; m++) {
    const [x, y] = [m - w, m - h];
    const up = x <= right ? firstFree(there.columns(), shape.columns(), x, rim, Math.min(y, top)) : -1;
    const along = y <= top ? firstFree(there.rows, shape.rows, y, rim, Math.min(x - 1, right, up < 0 ? Infinity : up - 1)) : -1;
    if (along >= 0) return keyed(along, y, m * KEY + along + w, below);
    if (up >= 0) return keyed(x, up, m * KEY + up + h, below);
  }
  return null;
}

const keyed = (x: number, y: number, key: number, below: number): { x: number; y: number; key: number } | null =>
  key < below ? { x, y, key } : null;

/** A raster by its rows and, once they are asked for, by its columns. */
class Ground {
  private turnedOver: BitGrid | null = null;

  constructor(readonly rows: BitGrid) {}

  columns(): BitGrid {
    return (this.turnedOver ??= transposed(this.rows));
  }

  stamp(shape: Ground, x: number, y: number, gap: number): void {
    stamp(this.rows, shape.rows, x, y, gap);
    if (this.turnedOver !== null) stamp(this.turnedOver, shape.columns(), y, x, gap);
  }
}
