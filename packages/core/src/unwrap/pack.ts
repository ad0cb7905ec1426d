import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { BitGrid } from './bit-grid';
import type { BoxedIsland, FlatIsland, IslandPlace } from './boxed-island';
import { inBox, uvsAt } from './boxed-island';
import type { Side } from './place-islands';
import { placeIslands } from './place-islands';
import type { Taken } from './taken';
import { takenGrids } from './taken';

export interface PackOptions {
  /** Side of the map, in texels, and the texels between islands at that size. */
  readonly size: number;
  readonly margin: number;
  /** Tiles from 1001 on, ten a row. */
  readonly tiles: number;
  /** What is packed around; null for nothing. */
  readonly taken: Taken | null;
}

/** Cells of a tile's side at most: finer costs time and gains less than a hundredth. */
const MOST_CELLS = 512;
/** Of the raster on which ways to pack are compared. */
const ROUGH_CELLS = 192;
/** Share of the tiles to begin with, what a try gives way, and what a better way must gain. */
const FIRST_USE = 0.94;
const LESS = 0.97;
const MORE = 1.015;
const MOST_TRIES = 100;
/** Ways that are compared, over the number of islands: a way costs time for each of them. */
const CHANGES = 600;
const CHANGES_TO_COMPARE = 200;
/** Angles that an island is turned by, beside that of its smallest box. */
const TURNS = 24;
const SIDES: readonly Side[] = ['low', 'left', 'corner'];

/** One way to pack: the islands' order, their turns and the side they are pushed to. */
interface Way {
  readonly order: readonly number[];
  readonly turns: readonly number[];
  readonly side: Side;
}

/** Islands at hand for packing: turned and boxed when they are asked for. */
class Packing {
  private readonly boxed: readonly (readonly (() => BoxedIsland)[])[];
  readonly areas: readonly number[];
  private readonly total: number;
  /** Share of the tiles that islands may cover at most. */
  readonly most: number;
  private readonly begun = new Map<number, BitGrid[]>();

  constructor(
    islands: readonly FlatIsland[],
    private readonly options: PackOptions,
    private readonly control?: RunControl,
  ) {
    this.boxed = islands.map(({ uv, triangles }) =>
      Array.from({ length: TURNS + 1 }, (_, n) => lazily(() => inBox(uv, triangles, n === 0 ? null : (n * 2 * Math.PI) / TURNS))),
    );
    this.areas = this.boxed.map(([first]) => first().area);
    this.total = this.areas.reduce((sum, area) => sum + area, 0);
    const { taken, tiles } = options;
    this.most = Math.min(1, taken === null ? 1 : (taken.density ** 2 * this.total) / tiles);
  }

  /** UV units for each unit. */
  private scale(use: number): number {
    return Math.sqrt((use * this.options.tiles) / this.total);
  }

  private turned(way: Way): BoxedIsland[] {
    return this.boxed.map((turns, i) => turns[way.turns[i]]());
  }

  place(way: Way, use: number, cells: number): IslandPlace[] | null {
    throwIfAborted(this.control);
    const { margin, size, tiles, taken } = this.options;
    const gap = Math.ceil((margin * cells) / size);
    if (taken !== null && !this.begun.has(cells)) this.begun.set(cells, takenGrids(taken, cells, gap, tiles));
    return placeIslands(this.turned(way), way, this.scale(use) * cells, { cells, gap, tiles, begun: this.begun.get(cells) ?? [] });
  }

  uvs(way: Way, use: number, places: readonly IslandPlace[], cells: number): Float32Array[] {
    return this.turned(way).map((island, i) => uvsAt(island, places[i], this.scale(use), cells));
  }

  /** The best way that was found, and the share of the tiles that it covers on a rough raster. */
  bestWay(changes: number): { way: Way; use: number } {
    const order = [...this.areas.keys()].sort((a, b) => this.areas[b] - this.areas[a] || a - b);
    const turns = order.map(() => 0);
    const cells = Math.min(ROUGH_CELLS, this.options.size);
    return climbed(
      SIDES.map((side) => ({ order, turns, side })),
      (way, use) => this.place(way, use, cells) !== null,
      changes,
      this.most,
    );
  }
}

/** Share of the tiles that islands could cover. @throws CancelledError */
export const packedUse = (islands: readonly FlatIsland[], options: PackOptions, control?: RunControl): number =>
  new Packing(islands, options, control).bestWay(CHANGES_TO_COMPARE).use;

/** Places islands at one scale, as large as they fit, on a raster that counts every cell an island touches, so that gaps hold exactly: largest
 *  first, each at the best free place. Then other orders and turns are tried, and kept where they let the scale grow (hill climbing, seeded).
 *  @returns UVs of each island, and the share of the tiles that they cover
 *  @throws InvalidInputError BAD_OPTION where margins leave no room @throws CancelledError */
export function packIslands(
  islands: readonly FlatIsland[],
  options: PackOptions,
  control?: RunControl,
): { uvs: Float32Array[]; use: number } {
  const { size, margin, tiles } = options;
  const packing = new Packing(islands, options, control);
  const { way, use } = packing.bestWay(CHANGES);
  const cells = Math.min(MOST_CELLS, size);
  for (let n = 0, at = Math.min(use * 1.06, packing.most); n < MOST_TRIES; n++, at *= 0.99) {
    const places = packing.place(way, at, cells);
    if (places !== null) return { uvs: packing.uvs(way, at, places, cells), use: at };
  }
  throw new InvalidInputError(
    'BAD_OPTION',
    `${islands.length} islands with ${margin} texels between them do not fit ${tiles === 1 ? 'a tile' : `${tiles} tiles`} of ${size}; take a smaller margin, a larger size or more tiles.`,
    { option: 'margin' },
  );
}

/** The best of some ways, changed a little again and again. */
function climbed(ways: readonly Way[], fits: (way: Way, use: number) => boolean, changes: number, most: number): { way: Way; use: number } {
  let use = Math.min(FIRST_USE, most);
  let way = ways[0];
  const islands = way.order.length;
  let fitted = false;
  for (let n = 0; n < MOST_TRIES && !fitted; n++, use *= LESS) {
    const found = ways.find((tried) => fits(tried, use));
    if (found !== undefined) {
      way = found;
      fitted = true;
      use /= LESS;
    }
  }
  if (!fitted) return { way, use };
  let seed = 1;
  // a linear congruential generator (Numerical Recipes, 2007, 7.1): the same islands are packed the same way each time
  const below = (n: number): number => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    return Math.floor((seed / 0x100000000) * n);
  };
  for (let n = 0; n < changes / islands; n++) {
    const turns = [...way.turns];
    // large islands decide
    const who = way.order[below(Math.min(islands, 6))];
    turns[who] = below(TURNS + 1);
    const order = [...way.order];
    if (islands > 1 && below(3) === 0) {
      const [a, b] = [below(Math.min(islands, 8)), below(Math.min(islands, 8))];
      [order[a], order[b]] = [order[b], order[a]];
    }
    const tried = { order, turns, side: below(4) === 0 ? SIDES[below(SIDES.length)] : way.side };
    while (use * MORE < most && fits(tried, use * MORE)) {
      use *= MORE;
      way = tried;
    }
  }
  return { way, use };
}

function lazily<T>(make: () => T): () => T {
  let made: T | undefined;
  return () => (made ??= make());
}
