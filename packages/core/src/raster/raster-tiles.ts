import { InvalidInputError } from '../runtime/errors';
import type { Raster } from './field';

/** Rasters by tile number; one without tiles stands under 1001. A map has them all at hand; others read each from its file when it is asked for. */
export interface Tiles<R extends Raster> {
  has(tile: number): boolean;
  get(tile: number): R | Promise<R> | undefined;
}
export type TileRasters = Tiles<Raster>;

/** All tiles are looked for before the first is read. @throws InvalidInputError NO_TILE for one that is not there */
export function requireTiles(wanted: readonly number[], tiles: TileRasters): void {
  for (const tile of wanted) if (!tiles.has(tile)) noTile(tile);
}

/** @throws InvalidInputError NO_TILE where it is not there */
export const tileOf = async <R extends Raster>(tiles: Tiles<R>, tile: number): Promise<R> => (await tiles.get(tile)) ?? noTile(tile);

function noTile(tile: number): never {
  throw new InvalidInputError(
    'NO_TILE',
    `The mesh uses tile ${tile}, but there is no map for it; name the maps with <UDIM> and write all tiles.`,
    { tile },
  );
}

/** Values of tiles that stay in memory once they were read: reading a map of some small tiles again would cost more than it saves. */
const HELD_VALUES = 2 ** 26;

/** Texels of a map in memory at most where its tiles are read by need. @param each texels of a tile */
export const texelsHeld = (tiles: number, each: number, channels: number): number =>
  Math.min(tiles * each, each + Math.floor(HELD_VALUES / channels));

/** Reads tiles from their sources when they are asked for. The first that fit stay in memory, and of the others the last. */
export class TilesByNeed<S extends { readonly tile: number }, R extends Raster> implements Tiles<R> {
  private readonly held = new Map<number, R>();
  private values = 0;
  private last: { readonly tile: number; readonly raster: R } | null = null;

  /** @param sources may still grow */
  constructor(
    private readonly sources: readonly S[],
    private readonly read: (source: S) => Promise<R>,
    private readonly most = HELD_VALUES,
  ) {}

  has(tile: number): boolean {
    return this.sources.some((s) => s.tile === tile);
  }

  get(tile: number): R | Promise<R> | undefined {
    const known = this.held.get(tile) ?? (this.last?.tile === tile ? this.last.raster : undefined);
    if (known !== undefined) return known;
    const source = this.sources.find((s) => s.tile === tile);
    return source === undefined ? undefined : this.readNow(source);
  }

  /** Takes what was read or made already. */
  hold(tile: number, raster: R): void {
    const { length } = raster.values;
    if (this.values + length > this.most) this.last = { tile, raster };
    else if (!this.held.has(tile)) {
      this.held.set(tile, raster);
      this.values += length;
    }
  }

  /** Lets go of the tile that did not fit, before another one is made. */
  release(): void {
    this.last = null;
  }

  private async readNow(source: S): Promise<R> {
    this.release(); // or there would be two of them meanwhile
    const raster = await this.read(source);
    this.hold(source.tile, raster);
    return raster;
  }
}
