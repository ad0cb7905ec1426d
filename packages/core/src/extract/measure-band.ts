import type { LowFrames } from '../frames/low-frames';
import { DOUBTFUL, INSIDE, MISSED } from '../raster/field';
import type { Kernel } from '../runtime/threads';
import type { UvTriangles } from '../uv/rasterise';
import { NO_TRIANGLE, rasteriseRows } from '../uv/rasterise';
import type { NormalSource } from './normal-at';
import { NormalAt } from './normal-at';
import type { BaseArrays } from './place';
import { Place } from './place';
import type { SculptArrays } from './sculpt-search';
import { SculptSearch } from './sculpt-search';

/** Everything that a thread needs to measure one tile, in shareable arrays. */
export interface TileJob {
  readonly width: number;
  readonly height: number;
  readonly samples: number; // n x n a texel
  readonly base: BaseArrays;
  readonly sculpt: SculptArrays;
  readonly uv: UvTriangles;
  readonly bins: { readonly offsets: Uint32Array; readonly items: Uint32Array };
  readonly bandRows: number;
  readonly heights: boolean;
  /** Whether the offset to the same-parameter point is wanted; only within one stack. */
  readonly offsets: boolean;
  readonly normals: { readonly source: NormalSource; readonly frames: LowFrames | null } | null;
  /** Whether each sample's own height is wanted, for fitting. */
  readonly keepSamples: boolean;
}

export interface MeasuredBand {
  readonly heights: Float32Array; // W x rows; empty when not asked for
  readonly heightCoverage: Uint8Array; // W x rows; empty when not asked for
  readonly normals: Float32Array; // 3 W x rows; empty when not asked for
  readonly normalCoverage: Uint8Array;
  readonly offsets: Float32Array; // 3 W x rows, object space; empty when not asked for
  readonly offsetCoverage: Uint8Array;
  /** Length on the surface that one texel spans, W x rows; 0 outside. */
  readonly texelSizes: Float32Array;
  /** Height of each sample, (n W) x (n rows), NaN where there is none; empty when not asked for. */
  readonly samples: Float32Array;
  readonly rays: number;
}

/** Measures one band of rows, all maps of a span in one pass (see docs/how-it-measures.md). */
export const measureBand: Kernel<TileJob, number, MeasuredBand> = {
  name: 'measure-band',
  run(tile, band) {
    const { width: W, height: H, samples: n, bandRows, uv } = tile;
    const y0 = band * bandRows;
    const y1 = Math.min(H, y0 + bandRows);
    const texels = W * (y1 - y0);
    const bin = tile.bins.items.subarray(tile.bins.offsets[band], tile.bins.offsets[band + 1]);
    const cover = rasteriseRows(uv, bin, W, H, n, y0, y1);
    const heights = new Float32Array(tile.heights ? texels : 0);
    const heightCoverage = new Uint8Array(heights.length);
    const normals = new Float32Array(tile.normals ? 3 * texels : 0);
    const normalCoverage = new Uint8Array(normals.length / 3);
    const offsets = new Float32Array(tile.offsets ? 3 * texels : 0);
    const offsetCoverage = new Uint8Array(offsets.length / 3);
    const texelSizes = new Float32Array(texels);
    const kept = new Float32Array(tile.keepSamples ? texels * n * n : 0).fill(NaN);
    const place = new Place(tile.base, uv, W, H);
    const search = new SculptSearch(tile.sculpt);
    const normalAt = tile.normals === null ? null : new NormalAt(tile.normals.source, tile.normals.frames);
    const needsHit = tile.heights || tile.normals?.source === 'hit';
    const sum = new Float64Array(3);
    const way = new Float64Array(3);
    const offset = new Float64Array(3);
    for (let y = y0; y < y1; y++) {
      for (let x = 0; x < W; x++) {
        let covered = 0;
        let size = 0;
        let hits = 0;
        let height = 0;
        let doubtful = false;
        let found = 0;
        sum.fill(0);
        offset.fill(0);
        for (let j = 0; j < n; j++) {
          const row = ((y - y0) * n + j) * W * n;
          for (let i = 0; i < n; i++) {
            const at = row + x * n + i;
            const tri = cover[at];
            if (tri === NO_TRIANGLE) continue;
            covered++;
            const u = (x + (i + 0.5) / n) / W;
            const v = 1 - (y + (j + 0.5) / n) / H;
            const whole = place.set(tri, u, v);
            size += place.texelSize;
            if (tile.offsets) {
              place.matchOffset(way);
              for (let k = 0; k < 3; k++) offset[k] += way[k];
            }
            if (!whole) continue;
            const hit = needsHit && search.along(place);
            if (hit) {
              hits++;
              height += search.height;
              doubtful ||= search.doubtful;
              if (tile.keepSamples) kept[at] = search.height;
            }
            if (normalAt?.find(place, search, hit, tile.base.lowFaces[tri], u + uv.origin[0], v + uv.origin[1])) {
              found++;
              for (let k = 0; k < 3; k++) sum[k] += normalAt.framed[k];
            }
          }
        }
        if (covered === 0) continue;
        const o = (y - y0) * W + x;
        texelSizes[o] = size / covered;
        if (tile.heights) {
          heightCoverage[o] = hits === 0 ? MISSED : doubtful ? DOUBTFUL : INSIDE;
          if (hits > 0) heights[o] = height / hits;
        }
        if (tile.offsets) {
          offsetCoverage[o] = INSIDE;
          for (let k = 0; k < 3; k++) offsets[3 * o + k] = offset[k] / covered;
        }
        if (normalAt !== null) {
          const length = Math.hypot(sum[0], sum[1], sum[2]);
          const missed = found === 0 || length === 0;
          normalCoverage[o] = missed ? MISSED : doubtful && tile.normals?.source === 'hit' ? DOUBTFUL : INSIDE;
          for (let k = 0; k < 3; k++) normals[3 * o + k] = missed ? (k === 2 ? 1 : 0) : sum[k] / length;
        }
      }
    }
    return { heights, heightCoverage, normals, normalCoverage, offsets, offsetCoverage, texelSizes, samples: kept, rays: search.rays };
  },
};
