import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { BitGrid } from './bit-grid';
import { bitGrid, collides, markTriangle, stamp, turned } from './bit-grid';
import { convexHull } from './border';

/** An island as it was laid flat. */
export interface FlatIsland {
  readonly uv: Float64Array; // 2 N, any unit, the same for all
  readonly triangles: Uint32Array; // 3 T
}

export interface PackOptions {
  /** Side of the map, in texels, and the texels between islands at that size. */
  readonly size: number;
  readonly margin: number;
  /** Tiles from 1001 on, ten a row. */
  readonly tiles: number;
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
/** Which of the free places of an island is best: the lowest, the leftmost, the nearest to the corner. */
type Side = 'low' | 'left' | 'corner';
const SIDES: readonly Side[] = ['low', 'left', 'corner'];

/** One way to pack: the islands' order, their turns and the side they are pushed to. */
interface Way {
  readonly order: readonly number[];
  readonly turns: readonly number[];
  readonly side: Side;
}

/** Islands at hand for packing: turned and boxed when they are asked for. */
class Packing {
  private readonly boxed: readonly (readonly (() => Boxed)[])[];
  readonly areas: readonly number[];
  private readonly total: number;

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
  }

  /** UV units for each unit. */
  private scale(use: number): number {
    return Math.sqrt((use * this.options.tiles) / this.total);
  }

  private turned(way: Way): Boxed[] {
    return this.boxed.map((turns, i) => turns[way.turns[i]]());
  }

  place(way: Way, use: number, cells: number): Place[] | null {
    throwIfAborted(this.control);
    const { margin, size, tiles } = this.options;
    return tryToPlace(this.turned(way), way, this.scale(use) * cells, { cells, gap: Math.ceil((margin * cells) / size), tiles });
  }

  uvs(way: Way, use: number, places: readonly Place[], cells: number): Float32Array[] {
    return this.turned(way).map((island, i) => uvsAt(island, places[i], this.scale(use), cells));
  }

  /** The best way that was found, and the share of the tiles that it covers on a rough raster. */
  climb(changes: number): { way: Way; use: number } {
    const order = [...this.areas.keys()].sort((a, b) => this.areas[b] - this.areas[a] || a - b);
    const turns = order.map(() => 0);
    const cells = Math.min(ROUGH_CELLS, this.options.size);
    return climb(
      SIDES.map((side) => ({ order, turns, side })),
      (way, use) => this.place(way, use, cells) !== null,
      changes,
    );
  }
}

/** Share of the tiles that islands could cover. @throws CancelledError */
export const packedUse = (islands: readonly FlatIsland[], options: PackOptions, control?: RunControl): number =>
  new Packing(islands, options, control).climb(CHANGES_TO_COMPARE).use;

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
  const { way, use } = packing.climb(CHANGES);
  const cells = Math.min(MOST_CELLS, size);
  for (let n = 0, at = use * 1.06; n < MOST_TRIES; n++, at *= 0.99) {
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
function climb(ways: readonly Way[], fits: (way: Way, use: number) => boolean, changes: number): { way: Way; use: number } {
  let use = FIRST_USE;
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
    while (use * MORE < 1 && fits(tried, use * MORE)) {
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

interface Boxed extends FlatIsland {
  readonly area: number;
  readonly width: number;
  readonly height: number;
}
interface Place {
  readonly quarter: number;
  readonly x: number;
  readonly y: number;
  readonly tile: number;
}

/** Turned by an angle, or to where its box is smallest (an edge of the hull lies along it), and moved to the origin. */
function inBox(uv: Float64Array, triangles: Uint32Array, angle: number | null): Boxed {
  const hull = convexHull(
    uv,
    Uint32Array.from({ length: uv.length / 2 }, (_, i) => i),
  );
  let best = { area: Infinity, cos: Math.cos(angle ?? 0), sin: Math.sin(angle ?? 0) };
  hull.forEach(([x, y], i) => {
    const [u, v] = hull[(i + 1) % hull.length];
    const length = Math.hypot(u - x, v - y);
    if (length === 0 || angle !== null) return;
    const [cos, sin] = [(u - x) / length, (y - v) / length];
    const along = hull.map(([a, b]) => [a * cos - b * sin, a * sin + b * cos]);
    const [xs, ys] = [along.map(([a]) => a), along.map(([, b]) => b)];
    const area = (Math.max(...xs) - Math.min(...xs)) * (Math.max(...ys) - Math.min(...ys));
    if (area < best.area) best = { area, cos, sin };
  });
  const out = new Float64Array(uv.length);
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < uv.length; i += 2) {
    out[i] = uv[i] * best.cos - uv[i + 1] * best.sin;
    out[i + 1] = uv[i] * best.sin + uv[i + 1] * best.cos;
    [x0, y0, x1, y1] = [Math.min(x0, out[i]), Math.min(y0, out[i + 1]), Math.max(x1, out[i]), Math.max(y1, out[i + 1])];
  }
  for (let i = 0; i < uv.length; i += 2) {
    out[i] -= x0;
    out[i + 1] -= y0;
  }
  let area = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [2 * triangles[t], 2 * triangles[t + 1], 2 * triangles[t + 2]];
    area += Math.abs((out[b] - out[a]) * (out[c + 1] - out[a + 1]) - (out[b + 1] - out[a + 1]) * (out[c] - out[a])) / 2;
  }
  return { uv: out, triangles, area, width: x1 - x0, height: y1 - y0 };
}

function tryToPlace(
  islands: readonly Boxed[],
  { order, side }: Way,
  scale: number,
  { cells, gap, tiles }: { cells: number; gap: number; tiles: number },
): Place[] | null {
  const rim = Math.ceil(gap / 2);
  const there: BitGrid[] = [];
  const places: Place[] = [];
  for (const i of order) {
    const { width, height } = islands[i];
    if (Math.max(width, height) * scale > cells) return null;
    const quarters = [shapeOf(islands[i], scale)];
    while (quarters.length < 4) quarters.push(turned(quarters[quarters.length - 1]));
    let best: (Place & { key: number }) | null = null;
    for (let tile = 0; tile < tiles && best === null; tile++) {
      there[tile] ??= bitGrid(cells, cells);
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

function shapeOf({ uv, triangles, width, height }: Boxed, scale: number): BitGrid {
  const grid = bitGrid(Math.floor(width * scale) + 1, Math.floor(height * scale) + 1);
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [2 * triangles[t], 2 * triangles[t + 1], 2 * triangles[t + 2]];
    markTriangle(grid, [uv[a] * scale, uv[a + 1] * scale, uv[b] * scale, uv[b + 1] * scale, uv[c] * scale, uv[c + 1] * scale]);
  }
  return grid;
}

function uvsAt({ uv, width, height }: Boxed, { quarter, x, y, tile }: Place, scale: number, cells: number): Float32Array {
  // the raster's own size, whose corner a turn goes about
  const [w, h] = [(Math.floor(width * scale * cells) + 1) / cells, (Math.floor(height * scale * cells) + 1) / cells];
  const out = new Float32Array(uv.length);
  for (let i = 0; i < uv.length; i += 2) {
    let [u, v] = [uv[i] * scale, uv[i + 1] * scale];
    if (quarter === 1) [u, v] = [h - v, u];
    else if (quarter === 2) [u, v] = [w - u, h - v];
    else if (quarter === 3) [u, v] = [v, w - u];
    out[i] = (tile % 10) + u + x / cells;
    out[i + 1] = Math.floor(tile / 10) + v + y / cells;
  }
  return out;
}
