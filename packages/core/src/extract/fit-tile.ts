import type { Field } from '../raster/field';
import { DOUBTFUL, INSIDE, MENDED } from '../raster/field';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { FitGain } from './bilinear-fit';
import { BilinearFit } from './bilinear-fit';
import type { BaseArrays } from './place';
import { Place } from './place';
import type { SculptArrays } from './sculpt-search';
import { SculptSearch } from './sculpt-search';
import type { SeamEdge } from './seam-places';

/** Weight of a read on a seam against a read inside. */
const SEAM_WEIGHT = 4;
/** Weight of a read at a point of the level that will be rendered: there both sides must agree to less than a step of 16 bits. */
const POINT_WEIGHT = 200_000;
/** Texels that such points must lie apart: closer together they would ask for more than the texels can give. */
const POINT_TEXELS = 1.5;
/** Pull towards the measured value, in weights of reads: measured texels give way less than padding. A read's error can move a texel
 *  by sqrt(SEAM_WEIGHT reads / pull) / 2 times itself at most: about three times, and ten times in the padding. */
const MEASURED_PULL = 0.25;
const FREE_PULL = 0.02;
/** With reads all over the tile the fit needs hardly any pull. */
const FITTED_PULL = 0.02;

export interface SeamReads {
  readonly edges: readonly SeamEdge[];
  /** Points of the base's mesh below this number are those of the level that will be rendered. */
  readonly rendered: number;
  /** Edges of the base's mesh between two such points. */
  readonly apart: number;
  readonly tile: number;
  readonly base: BaseArrays;
  readonly sculpt: SculptArrays;
}

/** Changes texels so that bilinear reads, not texel centres, give the measured heights.
 *
 *  Along a seam both sides are fitted to the same measured height of each seam point: so they agree with each other and with the sculpt,
 *  also when they lie in different tiles, and each tile is fitted alone. */
export class TileFitter {
  private readonly fit: BilinearFit;

  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {
    this.fit = new BilinearFit(width, height);
  }

  /** Heights of the samples of some rows, n x n a texel, NaN where there is none. */
  addSamples(samples: Float32Array, n: number, y0: number): void {
    const { width: W, height: H, fit } = this;
    const across = W * n;
    for (let i = 0; i < samples.length; i++) {
      if (Number.isNaN(samples[i])) continue;
      const row = Math.floor(i / across);
      fit.add(((i % across) + 0.5) / across, 1 - (y0 * n + row + 0.5) / (H * n), samples[i], 1);
    }
  }

  /** Measures the sculpt along the seams of this tile, twice a texel.
   *  @returns rays cast */
  addSeams({ edges, rendered, apart, tile, base, sculpt }: SeamReads, control?: RunControl): number {
    const { width: W, height: H, fit } = this;
    const place = new Place(
      base,
      { uvs: new Float32Array(0), corners: new Uint32Array(0), selected: new Uint32Array(0), origin: [0, 0] },
      W,
      H,
    );
    const search = new SculptSearch(sculpt);
    for (const [e, { from, to, sides }] of edges.entries()) {
      if (e % 1000 === 0) throwIfAborted(control);
      const here = sides.filter((s) => s.tile === tile);
      if (here.length === 0) continue;
      const texels = Math.max(...here.map(({ uv }) => Math.hypot((uv[2] - uv[0]) * W, (uv[3] - uv[1]) * H)));
      const steps = Math.max(1, Math.ceil(2 * texels));
      for (let k = 0; k <= steps; k++) {
        const t = k / steps;
        if (!place.blend(from, to, to, 1 - t, t, 0) || !search.along(place)) continue;
        // ends belong to two edges of the seam: half each
        const end = k === 0 ? from : k === steps ? to : null;
        const weight = end === null ? SEAM_WEIGHT : 0.5 * (end < rendered && apart * texels >= POINT_TEXELS ? POINT_WEIGHT : SEAM_WEIGHT);
        for (const { uv } of here) fit.add(uv[0] + t * (uv[2] - uv[0]), uv[1] + t * (uv[3] - uv[1]), search.height, weight);
      }
    }
    return search.rays;
  }

  /** @param fitted whether the reads cover the tile, not only its seams */
  solveInPlace(field: Field, fitted: boolean, control?: RunControl): FitGain {
    const { coverage } = field;
    const measured = (i: number): boolean => coverage[i] === INSIDE || coverage[i] === DOUBTFUL || coverage[i] === MENDED;
    return this.fit.solveInPlace(field.values, (i) => (fitted ? FITTED_PULL : measured(i) ? MEASURED_PULL : FREE_PULL), control);
  }
}
