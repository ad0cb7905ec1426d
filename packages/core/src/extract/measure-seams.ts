import { asksRay } from '../raster/map-kinds';
import type { Kernel } from '../runtime/threads';
import { tileOrigin } from '../uv/tiles';
import type { Measure, SampleAt } from './kinds/measure';
import type { MeasureSpec } from './kinds/table';
import { createMeasure } from './kinds/table';
import type { BaseArrays } from './place';
import { Place } from './place';
import type { AnswerSource } from './point-values';
import type { SculptArrays } from './sculpt-search';
import { SculptSearch } from './sculpt-search';
import type { SeamEdges } from './seam-places';

/** Weight of a read on a seam against a read inside. */
const SEAM_WEIGHT = 4;
/** Weight of a read at a point of the level that will be rendered: there both sides must agree to less than a step of 16 bits. */
const POINT_WEIGHT = 200_000;
/** Texels that such points must lie apart: closer together they would ask for more than the texels can give. */
const POINT_TEXELS = 1.5;

/** Everything that a thread needs to measure along the seams of a tile, in shareable arrays. */
export interface SeamJob {
  readonly width: number;
  readonly height: number;
  readonly tile: number;
  readonly edges: SeamEdges;
  /** Points of the base's mesh below this number are those of the level that will be rendered. */
  readonly rendered: number;
  /** Edges of the base's mesh between two such points. */
  readonly apart: number;
  readonly base: BaseArrays;
  readonly sculpt: SculptArrays;
  readonly measures: readonly MeasureSpec[];
  readonly source: AnswerSource;
}

/** Reads along seams and what they should give. N reads. */
export interface SeamReads {
  readonly uvs: Float64Array; // 2 N, relative to the tile
  readonly weights: Float32Array; // N
  /** Number of the place that a read belongs to: the sides of a seam that lie in this tile follow each other. */
  readonly places: Uint32Array; // N
  /** In the order of `measures`: channels x N, NaN where there is no answer. */
  readonly values: readonly Float32Array[];
  readonly rays: number;
}

const NO_UV = { uvs: new Float32Array(0), corners: new Uint32Array(0), selected: new Uint32Array(0), origin: [0, 0] } as const;

/** Measures the sculpt along some seam edges, twice a texel, each side in its own frame: both then want the same place of the sculpt. */
export const measureSeams: Kernel<SeamJob, Uint32Array, SeamReads> = {
  name: 'measure-seams',
  run(job, selected) {
    const { edges, width: W, height: H, tile, source } = job;
    const place = new Place(job.base, NO_UV, W, H);
    const search = new SculptSearch(job.sculpt);
    const measures = job.measures.map((spec) => createMeasure(spec, 0, job.sculpt, null));
    const needsRay = source === 'hit' || asksRay(job.measures.map((m) => m.kind));
    const origin = tileOrigin(tile);
    const at: SampleAt = { place, search, hit: false, answered: false, face: 0, u: 0, v: 0, column: 0, row: 0 };
    const out = new ReadsWriter(measures);
    let places = 0;
    for (const e of selected) {
      const [from, to] = [edges.sideOffsets[e], edges.sideOffsets[e + 1]];
      const here: number[] = [];
      for (let s = from; s < to; s++) if (edges.tiles[s] === tile) here.push(s);
      const uv = (s: number, i: number): number => edges.uvs[4 * s + i];
      const texels = Math.max(...here.map((s) => Math.hypot((uv(s, 2) - uv(s, 0)) * W, (uv(s, 3) - uv(s, 1)) * H)));
      const steps = Math.max(1, Math.ceil(2 * texels));
      for (let k = 0; k <= steps; k++) {
        const t = k / steps;
        if (!place.onEdge(edges.triangles[from], edges.corners[2 * from], edges.corners[2 * from + 1], t)) continue;
        at.hit = needsRay && search.along(place);
        at.answered = source === 'parameter' || (source === 'hit' ? at.hit : search.nearest(place));
        // ends belong to two edges of the seam: half each
        const end = k === 0 ? edges.ends[2 * e] : k === steps ? edges.ends[2 * e + 1] : null;
        const weight =
          end === null ? SEAM_WEIGHT : 0.5 * (end < job.rendered && job.apart * texels >= POINT_TEXELS ? POINT_WEIGHT : SEAM_WEIGHT);
        // the same chance for both sides, in whatever tiles they lie
        at.column = end ?? k;
        at.row = end === null ? e : 0;
        places++;
        for (const s of here) {
          place.onEdge(edges.triangles[s], edges.corners[2 * s], edges.corners[2 * s + 1], t);
          at.face = job.base.lowFaces[edges.triangles[s]];
          const [u, v] = [0, 1].map((i) => uv(s, i) + t * (uv(s, i + 2) - uv(s, i)));
          at.u = u + origin[0];
          at.v = v + origin[1];
          out.add(places, u, v, weight, at);
        }
      }
    }
    return out.finish(search.rays);
  },
};

class ReadsWriter {
  private readonly uvs: number[] = [];
  private readonly weights: number[] = [];
  private readonly places: number[] = [];
  private readonly values: number[][];
  private readonly one = new Float64Array(3);

  constructor(private readonly measures: readonly Measure[]) {
    this.values = measures.map(() => []);
  }

  add(place: number, u: number, v: number, weight: number, at: SampleAt): void {
    this.uvs.push(u, v);
    this.places.push(place);
    this.weights.push(weight);
    for (const [i, m] of this.measures.entries()) {
      const known = m.valueAt(at, this.one);
      for (let k = 0; k < m.channels; k++) this.values[i].push(known ? this.one[k] : NaN);
    }
  }

  finish(rays: number): SeamReads {
    return {
      uvs: Float64Array.from(this.uvs),
      weights: Float32Array.from(this.weights),
      places: Uint32Array.from(this.places),
      values: this.values.map((v) => Float32Array.from(v)),
      rays,
    };
  }
}
