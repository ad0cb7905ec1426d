import type { Raster } from './field';

/** Rasters by tile number; one without tiles stands under 1001. A map has them all at hand; others read each from its file when it is asked for. */
export interface Tiles<R extends Raster> {
  has(tile: number): boolean;
  get(tile: number): R | Promise<R> | undefined;
}
export type TileRasters = Tiles<Raster>;

/** Reads tiles from their sources when they are asked for and holds on to the last, so that one is in memory. */
export class TilesByNeed<S extends { readonly tile: number }, R extends Raster> implements Tiles<R> {
  private last: { readonly tile: number; readonly raster: R } | null = null;

  /** @param sources may still grow */
  constructor(
    private readonly sources: readonly S[],
    private readonly read: (source: S) => Promise<R>,
  ) {}

  has(tile: number): boolean {
    return this.sources.some((s) => s.tile === tile);
  }

  get(tile: number): R | Promise<R> | undefined {
    if (this.last?.tile === tile) return this.last.raster;
    const source = this.sources.find((s) => s.tile === tile);
    return source === undefined ? undefined : this.readNow(source);
  }

  /** Takes what was read or made already. */
  hold(tile: number, raster: R): void {
    this.last = { tile, raster };
  }

  private async readNow(source: S): Promise<R> {
    this.last = null; // or there would be two of them meanwhile
    const raster = await this.read(source);
    this.hold(source.tile, raster);
    return raster;
  }
}
