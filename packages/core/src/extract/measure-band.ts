import { asksRay } from '../raster/map-kinds';
import type { Kernel } from '../runtime/threads';
import type { UvTriangles } from '../uv/rasterise';
import { NO_TRIANGLE, rasteriseRows } from '../uv/rasterise';
import type { SampleAt } from './kinds/measure';
import type { MeasureSpec } from './kinds/table';
import { createMeasure } from './kinds/table';
import type { BaseArrays } from './place';
import { Place } from './place';
import type { AnswerSource } from './point-values';
import type { SculptArrays } from './sculpt-search';
import { SculptSearch } from './sculpt-search';
import type { TileBins } from './tile-bins';

/** Everything that a thread needs to measure one tile, in shareable arrays. */
export interface TileJob {
  readonly width: number;
  readonly height: number;
  readonly samples: number; // n x n a texel
  readonly base: BaseArrays;
  readonly sculpt: SculptArrays;
  readonly uv: UvTriangles;
  readonly bins: TileBins;
  readonly bandRows: number;
  readonly measures: readonly MeasureSpec[];
  /** Where all but heights and same-stack vectors are read. */
  readonly source: AnswerSource;
  /** In the order of `measures`: whether each sample's own values are wanted, for fitting. */
  readonly keepSamples: readonly boolean[];
  /** Whether each texel's height is wanted, for finding sheets. */
  readonly keepHeights: boolean;
  /** A height to look for, float32[W H], instead of the same-parameter one: only texels that have one are measured. Null measures all. */
  readonly wanted: Float32Array | null;
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
  readonly rays: number;
}

/** Columns that are measured one row after another before the next ones. */
const NEAR_COLUMNS = 64;

/** Measures one band of rows, all maps of a span in one pass with one search a sample (see docs/how-it-measures.md). */
export const measureBand: Kernel<TileJob, number, MeasuredBand> = {
  name: 'measure-band',
  run(tile, band) {
    const { width: W, height: H, samples: n, bandRows, uv, source } = tile;
    const y0 = band * bandRows;
    const y1 = Math.min(H, y0 + bandRows);
    const texels = W * (y1 - y0);
    // texels that are measured anew for themselves have no neighbours
    const rows = tile.wanted === null ? { width: W, samples: n, y0, y1 } : null;
    const measures = tile.measures.map((spec) => createMeasure(spec, texels, tile.sculpt, rows));
    const looking = measures.filter((m) => m.halo > 0);
    const halo = Math.max(0, ...looking.map((m) => m.halo));
    const first = Math.max(0, y0 - halo);
    const cover = coverOf(tile, first, Math.min(H, y1 + halo));
    const needsRay = source === 'hit' || asksRay(tile.measures.map((m) => m.kind));
    const texelSizes = new Float32Array(texels);
    const kept = measures.map((m, i) => (tile.keepSamples[i] ? new Float32Array(m.channels * texels * n * n).fill(NaN) : null));
    const heights = new Float32Array(tile.keepHeights ? texels : 0).fill(NaN);
    const place = new Place(tile.base, uv, W, H);
    const search = new SculptSearch(tile.sculpt);
    const at: SampleAt = { place, search, hit: false, answered: false, face: 0, u: 0, v: 0, column: 0, row: 0 };
    // columns by columns, so that what lies around them stays near at hand; who looks around is told of whole rows
    const columns = halo > 0 ? W : NEAR_COLUMNS;
    for (let x0 = 0; x0 < W; x0 += columns)
      for (let y = first; y < Math.min(H, y1 + halo); y++) {
        const isOwn = y >= y0 && y < y1;
        const adding = isOwn ? measures : looking;
        for (let x = x0; x < Math.min(W, x0 + columns); x++) {
          const wanted = tile.wanted === null ? NaN : tile.wanted[y * W + x];
          if (tile.wanted !== null && Number.isNaN(wanted)) continue;
          let covered = 0;
          let size = 0;
          let hits = 0;
          let sum = 0;
          for (let j = 0; j < n; j++) {
            const row = ((y - first) * n + j) * W * n;
            for (let i = 0; i < n; i++) {
              const tri = cover[row + x * n + i];
              if (tri === NO_TRIANGLE) continue;
              if (covered === 0) for (const m of measures) m.clear();
              covered++;
              const u = (x + (i + 0.5) / n) / W;
              const v = 1 - (y + (j + 0.5) / n) / H;
              const whole = place.set(tri, u, v);
              size += place.texelSize;
              if (!whole) continue;
              if (tile.wanted !== null) place.near = wanted;
              at.hit = needsRay && search.along(place);
              at.answered = source === 'parameter' || (source === 'hit' ? at.hit : search.nearest(place));
              at.face = tile.base.lowFaces[tri];
              at.u = u + uv.origin[0];
              at.v = v + uv.origin[1];
              at.column = x * n + i;
              at.row = y * n + j;
              if (at.hit) {
                hits++;
                sum += search.height;
              }
              const sample = ((y - y0) * n + j) * W * n + at.column;
              for (let m = 0; m < adding.length; m++) adding[m].add(at, isOwn ? kept[m] : null, sample);
            }
          }
          if (covered === 0 || !isOwn) continue;
          const texel = (y - y0) * W + x;
          texelSizes[texel] = size / covered;
          if (tile.keepHeights && hits > 0) heights[texel] = sum / hits;
          for (const m of measures) m.write(texel);
        }
        for (const m of looking) m.endRow(y, search);
      }
    // below the last row of all there is nothing to wait for
    for (let y = H; y < y1 + halo; y++) for (const m of looking) m.endRow(y, search);
    return { maps: measures.map(({ values, coverage }) => ({ values, coverage })), texelSizes, samples: kept, heights, rays: search.rays };
  },
};

/** Triangle of each sample of some rows, which may lie in several bands. */
function coverOf({ width: W, height: H, samples: n, uv, bins, bandRows }: TileJob, from: number, to: number): Uint32Array {
  const out = new Uint32Array(W * n * n * (to - from));
  for (let y = from; y < to;) {
    const band = Math.floor(y / bandRows);
    const end = Math.min(to, (band + 1) * bandRows);
    const bin = bins.items.subarray(bins.offsets[band], bins.offsets[band + 1]);
    out.set(rasteriseRows(uv, bin, W, H, n, y, end), W * n * n * (y - from));
    y = end;
  }
  return out;
}
