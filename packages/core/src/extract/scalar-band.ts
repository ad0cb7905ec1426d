import { DOUBTFUL, INSIDE, MISSED } from '../raster/field';
import type { Kernel } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { LineQuery } from '../spatial/ray';
import type { UvTriangles } from '../uv/rasterise';
import { NO_TRIANGLE, rasteriseRows } from '../uv/rasterise';

/** Everything that a thread needs to measure one tile, in shareable arrays. */
export interface ScalarTile {
  readonly width: number;
  readonly height: number;
  readonly samples: number; // n x n a texel
  readonly reach: number; // scene units
  readonly positions: Float32Array; // 3 P, base
  readonly normals: Float32Array; // 3 P
  /** Same-parameter points of the sculpt, 3 P; null for a free sculpt. */
  readonly match: Float32Array | null;
  readonly verts: Uint32Array; // 3 T, points of the base's triangles
  readonly uv: UvTriangles;
  readonly bins: { readonly offsets: Uint32Array; readonly items: Uint32Array };
  readonly bandRows: number;
  readonly tree: Bvh; // the sculpt
}

export interface ScalarBand {
  readonly values: Float32Array; // W x rows
  readonly coverage: Uint8Array; // W x rows
  /** Length on the surface that one texel spans, W x rows; 0 outside. */
  readonly texelSizes: Float32Array;
  readonly rays: number;
}

/** A hit flatter than this against the surface (about 6 degrees) is doubtful. */
const GRAZING_COSINE = 0.1;
/** Another answer up to this much farther away than the chosen one makes it doubtful. */
const EQUALLY_GOOD = 1.25;

/** Measures one band of rows: for each sample the height d with P + d N on the sculpt (see docs/how-it-measures.md). */
export const scalarBand: Kernel<ScalarTile, number, ScalarBand> = {
  name: 'scalar-band',
  run(tile, band) {
    const { width: W, height: H, samples: n, bandRows } = tile;
    const y0 = band * bandRows;
    const y1 = Math.min(H, y0 + bandRows);
    const bin = tile.bins.items.subarray(tile.bins.offsets[band], tile.bins.offsets[band + 1]);
    const cover = rasteriseRows(tile.uv, bin, W, H, n, y0, y1);
    const values = new Float32Array(W * (y1 - y0));
    const coverage = new Uint8Array(W * (y1 - y0));
    const texelSizes = new Float32Array(W * (y1 - y0));
    const search = new HeightSearch(tile);
    for (let y = y0; y < y1; y++) {
      for (let x = 0; x < W; x++) {
        let sum = 0;
        let hits = 0;
        let covered = 0;
        let doubtful = false;
        let size = 0;
        for (let j = 0; j < n; j++) {
          const row = ((y - y0) * n + j) * W * n;
          for (let i = 0; i < n; i++) {
            const tri = cover[row + x * n + i];
            if (tri === NO_TRIANGLE) continue;
            covered++;
            const found = search.at(tri, (x + (i + 0.5) / n) / W, 1 - (y + (j + 0.5) / n) / H);
            size += search.texelSize;
            if (!found) continue;
            hits++;
            sum += search.height;
            doubtful ||= search.doubtful;
          }
        }
        if (covered === 0) continue;
        const o = (y - y0) * W + x;
        texelSizes[o] = size / covered;
        coverage[o] = hits === 0 ? MISSED : doubtful ? DOUBTFUL : INSIDE;
        if (hits > 0) values[o] = sum / hits;
      }
    }
    return { values, coverage, texelSizes, rays: search.rays };
  },
};

/** Height of the sculpt over a place of the base, with what it cost and how sure it is. */
class HeightSearch {
  height = 0;
  doubtful = false;
  texelSize = 0;
  rays = 0;
  private readonly query: LineQuery;

  constructor(private readonly tile: ScalarTile) {
    this.query = new LineQuery(tile.tree);
  }

  /** @param u, v relative to the tile, v up. @returns false when nothing faces the base within reach */
  at(tri: number, u: number, v: number): boolean {
    const { uv, verts, positions: p, normals: nn, match, reach, width, height } = this.tile;
    const ua = 2 * uv.corners[3 * tri], ub = 2 * uv.corners[3 * tri + 1], uc = 2 * uv.corners[3 * tri + 2]; // prettier-ignore
    const pu = u + uv.origin[0] - uv.uvs[ua];
    const pv = v + uv.origin[1] - uv.uvs[ua + 1];
    const e1u = uv.uvs[ub] - uv.uvs[ua], e1v = uv.uvs[ub + 1] - uv.uvs[ua + 1]; // prettier-ignore
    const e2u = uv.uvs[uc] - uv.uvs[ua], e2v = uv.uvs[uc + 1] - uv.uvs[ua + 1]; // prettier-ignore
    const det = e1u * e2v - e1v * e2u;
    const wb = (pu * e2v - pv * e2u) / det;
    const wc = (e1u * pv - e1v * pu) / det;
    const wa = 1 - wb - wc;
    const a = 3 * verts[3 * tri], b = 3 * verts[3 * tri + 1], c = 3 * verts[3 * tri + 2]; // prettier-ignore
    const px = wa * p[a] + wb * p[b] + wc * p[c];
    const py = wa * p[a + 1] + wb * p[b + 1] + wc * p[c + 1];
    const pz = wa * p[a + 2] + wb * p[b + 2] + wc * p[c + 2];
    let nx = wa * nn[a] + wb * nn[b] + wc * nn[c];
    let ny = wa * nn[a + 1] + wb * nn[b + 1] + wc * nn[c + 1];
    let nz = wa * nn[a + 2] + wb * nn[b + 2] + wc * nn[c + 2];
    const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
    this.texelSize = Math.sqrt(this.surfaceArea(a, b, c) / Math.abs(det * width * height));
    this.doubtful = false;
    if (length === 0) return false;
    nx /= length;
    ny /= length;
    nz /= length;
    let near = 0;
    if (match !== null) {
      near =
        (wa * match[a] + wb * match[b] + wc * match[c] - px) * nx +
        (wa * match[a + 1] + wb * match[b + 1] + wc * match[c + 1] - py) * ny +
        (wa * match[a + 2] + wb * match[b + 2] + wc * match[c + 2] - pz) * nz;
    }
    const { query } = this;
    this.rays++;
    if (!query.nearest(px, py, pz, nx, ny, nz, near, -reach, reach, 'along')) return false;
    this.height = query.t;
    this.doubtful = query.cosine < GRAZING_COSINE || this.hasRival(px, py, pz, nx, ny, nz, near);
    return true;
  }

  /** |e1 x e2| of a base triangle; with the UV determinant this gives |dP/du x dP/dv|. */
  private surfaceArea(a: number, b: number, c: number): number {
    const { positions: p } = this.tile;
    const x1 = p[b] - p[a], y1 = p[b + 1] - p[a + 1], z1 = p[b + 2] - p[a + 2]; // prettier-ignore
    const x2 = p[c] - p[a], y2 = p[c + 1] - p[a + 1], z2 = p[c + 2] - p[a + 2]; // prettier-ignore
    return Math.sqrt((y1 * z2 - z1 * y2) ** 2 + (z1 * x2 - x1 * z2) ** 2 + (x1 * y2 - y1 * x2) ** 2);
  }

  /** Whether another layer of the sculpt is about as near to the wanted height as the one chosen. */
  private hasRival(px: number, py: number, pz: number, nx: number, ny: number, nz: number, near: number): boolean {
    const { query, height } = this;
    const { reach } = this.tile;
    const off = Math.abs(height - near);
    const apart = 1e-4 * reach; // a shared edge answers twice at one height
    if (off * EQUALLY_GOOD < apart) return false;
    const lo = Math.max(-reach, near - EQUALLY_GOOD * off);
    const hi = Math.min(reach, near + EQUALLY_GOOD * off);
    return (
      (height - apart > lo && query.nearest(px, py, pz, nx, ny, nz, near, lo, height - apart, 'along')) ||
      (height + apart < hi && query.nearest(px, py, pz, nx, ny, nz, near, height + apart, hi, 'along'))
    );
  }
}
