import { asksRay } from '../raster/map-kinds';
import type { Kernel } from '../runtime/threads';
import type { UvTriangles } from '../uv/rasterise';
import { NO_TRIANGLE, rasteriseRows } from '../uv/rasterise';
import type { Measure, SampleAt } from './kinds/measure';
import type { MeasureSpec } from './kinds/table';
import { createMeasure } from './kinds/table';
import type { BaseArrays } from './place';
import { Place } from './place';
import type { BandPieces } from './pieces';
import { piecesOfRows } from './pieces';
import type { AnswerSource } from './point-values';
import type { SculptArrays } from './sculpt-search';
import { SculptSearch } from './sculpt-search';
import type { SampleGrid } from './texel-run';
import { TexelRun, texelsOfRun } from './texel-run';
import type { TileBins } from './tile-bins';
import { trianglesOfBand } from './tile-bins';

/** Everything that a thread needs to measure one tile, in shareable arrays. */
export interface TileJob extends SampleGrid {
  readonly base: BaseArrays;
  readonly sculpt: SculptArrays;
  readonly uv: UvTriangles;
  readonly bins: readonly TileBins[];
  readonly bandRows: number;
  readonly measures: readonly MeasureSpec[];
  /** Where all but heights and same-stack vectors are read. */
  readonly source: AnswerSource;
  /** In the order of `measures`: whether each sample's own values are wanted, for fitting. */
  readonly keepSamples: readonly boolean[];
  /** Whether each texel's height is wanted, for finding sheets; and the pieces of those, where all are measured. */
  readonly keepHeights: boolean;
}

export interface MeasuredBand {
  /** In the order of `measures`: channels x W x rows, and W x rows. */
  readonly maps: readonly { readonly values: Float32Array; readonly coverage: Uint8Array }[];
  /** Length on the surface that one texel spans, W x rows; 0 outside. */
  readonly texelSizes: Float32Array;
  /** In the order of `measures`: values of each sample, channels x (n W) x (n rows), NaN where there is none; null when not asked for. */
  readonly samples: readonly (Float32Array | null)[];
  /** Mean height of a texel's hits, W x rows, NaN where there is none; empty when not asked for. */
  readonly heights: Float32Array;
  /** Pieces of those heights; null when not asked for. */
  readonly pieces: BandPieces | null;
  readonly rays: number;
}

/** Columns that are measured one row after another before the next ones. */
const NEAR_COLUMNS = 64;

/** Measures one band of rows, all maps of a span in one pass with one search a sample (see docs/how-it-measures.md). */
export const measureBand: Kernel<TileJob, number, MeasuredBand> = {
  name: 'measure-band',
  run(tile, band) {
    const y0 = band * tile.bandRows;
    const work = new BandWork(tile, y0, Math.min(tile.height, y0 + tile.bandRows));
    work.measure();
    return work.result();
  },
};

/** One band while it is measured: texel rows [y0, y1). What is called for each piece of a row is a function of its own, small enough to be compiled once. */
class BandWork {
  private readonly measures: readonly Measure[];
  /** Those that look around, and how many rows above and below the band. */
  private readonly looking: readonly Measure[];
  private readonly halo: number;
  private readonly texelSizes: Float32Array;
  private readonly kept: readonly (Float32Array | null)[];
  private readonly notKept: readonly null[];
  private readonly heights: Float32Array;
  private readonly search: SculptSearch;
  private readonly at: SampleAt;
  private readonly run: TexelRun;

  constructor(
    private readonly tile: TileJob,
    private readonly y0: number,
    private readonly y1: number,
  ) {
    const { width: W, samples: n } = tile;
    const texels = W * (y1 - y0);
    // texels that are measured anew for themselves have no neighbours
    const rows = tile.wanted === null ? { width: W, samples: n, y0, y1 } : null;
    this.measures = tile.measures.map((spec) => createMeasure(spec, texels, tile.sculpt, rows));
    this.looking = this.measures.filter((m) => m.halo > 0);
    this.halo = Math.max(0, ...this.looking.map((m) => m.halo));
    this.texelSizes = new Float32Array(texels);
    this.kept = this.measures.map((m, i) => (tile.keepSamples[i] ? new Float32Array(m.channels * texels * n * n).fill(NaN) : null));
    this.notKept = this.measures.map(() => null);
    this.heights = new Float32Array(tile.keepHeights ? texels : 0).fill(NaN);
    this.search = new SculptSearch(tile.sculpt);
    const place = new Place(tile.base, tile.uv, W, tile.height);
    this.at = { place, search: this.search, hit: false, answered: false, face: 0, u: 0, v: 0, column: 0, row: 0 };
    const rays = tile.source === 'hit' || asksRay(tile.measures.map((m) => m.kind));
    const from = Math.max(0, y0 - this.halo);
    const cover = coverOf(tile, from, Math.min(tile.height, y1 + this.halo));
    this.run = new TexelRun(tile, { rays, places: this.measures.some((m) => m.looksAtPlaces) }, this.at, cover, from);
  }

  measure(): void {
    const { width: W, height: H, samples: n } = this.tile;
    const { y0, y1, halo } = this;
    // columns by columns, so that what lies around them stays near at hand; who looks around is told of whole rows
    const columns = halo > 0 ? W : NEAR_COLUMNS;
    const step = texelsOfRun(n);
    for (let x0 = 0; x0 < W; x0 += columns) {
      const end = Math.min(W, x0 + columns);
      for (let y = Math.max(0, y0 - halo); y < Math.min(H, y1 + halo); y++) {
        for (let x = x0; x < end; x += step) this.measureTexels(x, Math.min(end, x + step), y);
        for (const m of this.looking) m.endRow(y, this.search);
      }
    }
    // below the last row of all there is nothing to wait for
    for (let y = H; y < y1 + halo; y++) for (const m of this.looking) m.endRow(y, this.search);
  }

  result(): MeasuredBand {
    const { measures, texelSizes, kept, heights, search } = this;
    const { width, keepHeights, wanted } = this.tile;
    const pieces = keepHeights && wanted === null ? piecesOfRows({ width, heights, texelSizes }) : null;
    const maps = measures.map(({ values, coverage }) => ({ values, coverage }));
    return { maps, texelSizes, samples: kept, heights, pieces, rays: search.rays };
  }

  /** Texels [x0, x1) of row y, no more than a run holds. */
  private measureTexels(x0: number, x1: number, y: number): void {
    const { run, at, search, measures, tile, y0 } = this;
    const { width: W, samples: n, keepHeights } = tile;
    const isOwn = y >= y0 && y < this.y1;
    const adding = isOwn ? measures : this.looking;
    const kept = isOwn ? this.kept : this.notKept;
    run.set(x0, x1, y);
    let s = 0;
    for (let x = x0; x < x1; x++) {
      let covered = 0;
      let size = 0;
      let hits = 0;
      let sum = 0;
      for (let j = 0; j < n; j++) {
        const samples = ((y - y0) * n + j) * W * n + x * n;
        for (let i = 0; i < n; i++, s++) {
          if (run.triangles[s] === NO_TRIANGLE) continue;
          if (covered === 0) for (let m = 0; m < measures.length; m++) measures[m].clear();
          covered++;
          const isWhole = run.enter(s);
          size += run.sizes[s];
          if (!isWhole) continue;
          if (at.hit) {
            hits++;
            sum += search.height;
          }
          for (let m = 0; m < adding.length; m++) adding[m].add(at, kept[m], samples + i);
        }
      }
      if (covered === 0 || !isOwn) continue;
      const texel = (y - y0) * W + x;
      this.texelSizes[texel] = size / covered;
      if (keepHeights && hits > 0) this.heights[texel] = sum / hits;
      for (let m = 0; m < measures.length; m++) measures[m].write(texel);
    }
  }
}

/** Triangle of each sample of some rows, which may lie in several bands. */
function coverOf({ width: W, height: H, samples: n, uv, bins, bandRows }: TileJob, from: number, to: number): Uint32Array {
  const out = new Uint32Array(W * n * n * (to - from));
  for (let y = from; y < to;) {
    const band = Math.floor(y / bandRows);
    const end = Math.min(to, (band + 1) * bandRows);
    out.set(rasteriseRows(uv, trianglesOfBand(bins, band), W, H, n, y, end), W * n * n * (y - from));
    y = end;
  }
  return out;
}
