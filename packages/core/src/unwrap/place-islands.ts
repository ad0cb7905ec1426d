import type { BitGrid } from './bit-grid';
import { bitGrid, collides, stamp, turned } from './bit-grid';
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
  const there: BitGrid[] = [];
  const places: IslandPlace[] = [];
  for (const i of order) {
    const { width, height } = islands[i];
    if (Math.max(width, height) * scale > cells) return null;
    const quarters = [shapeOf(islands[i], scale)];
    while (quarters.length < 4) quarters.push(turned(quarters[quarters.length - 1]));
    let best: (IslandPlace & { key: number }) | null = null;
    for (let tile = 0; tile < tiles && best === null; tile++) {
      there[tile] ??= tile < begun.length ? { ...begun[tile], bits: begun[tile].bits.slice() } : bitGrid(cells, cells);
      for (let quarter = 0; quarter < 4; quarter++) {
        const found = bestPlace(there[tile], quarters[quarter], rim, side, best?.key ?? Infinity);
        if (found !== null) best = { ...found, quarter, tile };
      }
    }
    if (best === null) return null;
    stamp(there[best.tile], quarters[best.quarter], best.x, best.y, gap);
    places[i] = best;
  }
  return places;
}

const KEY = 65536;

/** The first free place in a side's order, if its key (by the island's far corner) is below a limit. */
function bestPlace(there: BitGrid, shape: BitGrid, rim: number, side: Side, below: number): { x: number; y: number; key: number } | null {
  const [w, h] = [shape.width, shape.height];
  const [right, top] = [there.width - rim - w, there.height - rim - h];
  const free = (x: number, y: number): boolean => !collides(there, shape, x, y);
  if (side === 'low') {
    for (let y = rim; y <= top && (y + h) * KEY < below; y++)
      for (let x = rim; x <= right; x++) if (free(x, y)) return keyed(x, y, (y + h) * KEY + x + w, below);
    return null;
  }
  if (side === 'left') {
    for (let x = rim; x <= right && (x + w) * KEY < below; x++)
      for (let y = rim; y <= top; y++) if (free(x, y)) return keyed(x, y, (x + w) * KEY + y + h, below);
    return null;
  }
  // shells of equal distance from the corner, each from its ends inwards
  for (let m = rim + Math.max(w, h); m <= there.width - rim && m * KEY < below; m++) {
    const [x, y] = [m - w, m - h];
    for (let k = rim; k <= Math.max(x, y); k++) {
      if (k <= y && x <= right && x >= rim && k <= top && k + h <= m && free(x, k)) return keyed(x, k, m * KEY + k + h, below);
      if (k < x && y <= top && y >= rim && k <= right && k + w <= m && free(k, y)) return keyed(k, y, m * KEY + k + w, below);
    }
  }
  return null;
}

const keyed = (x: number, y: number, key: number, below: number): { x: number; y: number; key: number } | null =>
  key < below ? { x, y, key } : null;
