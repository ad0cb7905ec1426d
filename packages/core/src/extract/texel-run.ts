import { MOST_LINES } from '../spatial/wide-tree';
import { NO_TRIANGLE } from '../uv/rasterise';
import type { SampleAt } from './kinds/measure';
import type { AnswerSource } from './point-values';

/** The tile that samples are places of, and what is looked for over them. */
export interface SampleGrid {
  readonly width: number; // W texels
  readonly height: number; // H
  readonly samples: number; // n x n a texel
  /** A height to look for, float32[W H], instead of the base's own: only texels that have one are measured. Null measures all. */
  readonly wanted: Float32Array | null;
  readonly uv: { readonly origin: readonly [number, number] };
  readonly base: { readonly lowFaces: Uint32Array };
  readonly source: AnswerSource;
}

/** What of a sample is looked at: rays along the normal; anything but what those found. */
export interface SampleNeeds {
  readonly rays: boolean;
  readonly places: boolean;
}

/** Texels of n x n samples that one run holds. */
export const texelsOfRun = (n: number): number => Math.floor(MOST_LINES / (n * n));

/** The samples of a few texels of one row, n x n of each texel after those of the one before, in each row by row. One object a thread.
 *
 *  All rays of a run are asked for at once. What else is looked at of a sample is set when it is entered. */
export class TexelRun {
  /** NO_TRIANGLE where nothing covers a sample, or its texel is not measured. */
  readonly triangles = new Uint32Array(MOST_LINES);
  /** Length on the surface that one texel spans; of a sample without rays, once it was entered. */
  readonly sizes = new Float64Array(MOST_LINES);
  private readonly isAsked = new Uint8Array(MOST_LINES);
  private readonly us = new Float64Array(MOST_LINES);
  private readonly vs = new Float64Array(MOST_LINES);
  private readonly columns = new Uint32Array(MOST_LINES);
  private readonly rows = new Uint32Array(MOST_LINES);
  private count = 0;

  /** @param at where samples are entered  @param cover triangle of each sample, uint32[n W x n rows] from the row of texels `from` on */
  constructor(
    private readonly grid: SampleGrid,
    private readonly needs: SampleNeeds,
    private readonly at: SampleAt,
    private readonly cover: Uint32Array,
    private readonly from: number,
  ) {}

  /** Goes to texels [x0, x1) of row y. */
  set(x0: number, x1: number, y: number): void {
    const { width: W, height: H, samples: n, wanted } = this.grid;
    const { cover } = this;
    let s = 0;
    for (let x = x0; x < x1; x++) {
      const isLeftOut = wanted !== null && Number.isNaN(wanted[y * W + x]);
      for (let j = 0; j < n; j++) {
        const row = ((y - this.from) * n + j) * W * n + x * n;
        for (let i = 0; i < n; i++, s++) {
          this.triangles[s] = isLeftOut ? NO_TRIANGLE : cover[row + i];
          this.us[s] = (x + (i + 0.5) / n) / W;
          this.vs[s] = 1 - (y + (j + 0.5) / n) / H;
          this.columns[s] = x * n + i;
          this.rows[s] = y * n + j;
        }
      }
    }
    this.count = s;
    if (this.needs.rays) this.ask();
  }

  private ask(): void {
    const { search } = this.at;
    for (let s = 0; s < this.count; s++) {
      if (this.triangles[s] === NO_TRIANGLE) continue;
      const isWhole = this.goTo(s);
      this.isAsked[s] = isWhole ? 1 : 0;
      if (isWhole) search.ask(this.at.place);
    }
    search.answer();
  }

  /** Makes a covered sample the one that `at` tells of; all of them in turn. @returns false where the base has no normal */
  enter(s: number): boolean {
    const { at, grid, needs } = this;
    if (needs.places ? !this.goTo(s) : this.isAsked[s] === 0) return false;
    at.hit = needs.rays && at.search.take();
    if (!needs.places) return true;
    at.answered = grid.source === 'parameter' || (grid.source === 'hit' ? at.hit : at.search.nearest(at.place));
    at.face = grid.base.lowFaces[this.triangles[s]];
    at.u = this.us[s] + grid.uv.origin[0];
    at.v = this.vs[s] + grid.uv.origin[1];
    at.column = this.columns[s];
    at.row = this.rows[s];
    return true;
  }

  private goTo(s: number): boolean {
    const { place } = this.at;
    const { wanted, width, samples } = this.grid;
    const isWhole = place.set(this.triangles[s], this.us[s], this.vs[s]);
    this.sizes[s] = place.texelSize;
    if (isWhole && wanted !== null) place.near = wanted[Math.floor(this.rows[s] / samples) * width + Math.floor(this.columns[s] / samples)];
    return isWhole;
  }
}
