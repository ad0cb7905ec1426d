import type { OcclusionOptions } from '../occlusion-at';
import { OcclusionAt } from '../occlusion-at';
import { liftOf } from '../off-surface';
import type { SculptArrays } from '../sculpt-search';
import type { KindWork } from './kind-work';
import { SHARED_REACH, SHARED_SIDE, SharedRays } from '../shared-rays';
import type { BandRows, SampleAt } from './measure';
import type { SurfacePointSpec } from './surface-point';
import { AtSurfacePoint } from './surface-point';

/** How open the sculpt is. */
export interface OcclusionSpec extends SurfacePointSpec {
  readonly kind: 'occlusion';
  readonly options: OcclusionOptions;
  /** Whether samples share their rays with their neighbours. */
  readonly shared: boolean;
  /** Of the sculpt, scene units. */
  readonly extent: number;
}

export const occlusion: KindWork<OcclusionSpec> = {
  prepare: (parts) => ({
    kind: 'occlusion',
    shared: parts.options.shareRays,
    extent: parts.extent,
    source: parts.source,
    positions: parts.positions(),
    normals: parts.normals(),
    options: {
      rays: parts.options.occlusionRays,
      distance: parts.options.occlusionDistance,
      seed: parts.options.seed,
      liftUnits: liftOf(parts.extent),
      farUnits: 2 * parts.extent,
      tile: 0,
    },
  }),
  measure: (spec, texels, sculpt, rows) =>
    spec.shared && rows !== null ? new SharedOcclusion(texels, spec, sculpt, rows) : new Occlusion(texels, spec, sculpt),
  facts: ({ source, shared, options: { rays, seed, liftUnits, distance } }) => ({
    normalSource: source,
    rays,
    raysCast: shared ? castBy(rays) : rays,
    seed,
    lift: liftUnits,
    distance: Number.isFinite(distance) ? distance : null,
  }),
  // tiles have noise of their own
  atTile: (spec, tile) => ({ ...spec, options: { ...spec.options, tile } }),
};

class Occlusion extends AtSurfacePoint {
  protected readonly at: OcclusionAt;

  constructor(texels: number, spec: OcclusionSpec, sculpt: SculptArrays) {
    super(texels, spec, spec.options.rays);
    this.at = new OcclusionAt(sculpt.tree, spec.options);
  }

  protected look({ column, row }: SampleAt): number {
    return this.at.openness(this.point, this.normal, column, row);
  }
}

/** Of the rays that a sample is worth one in so many is cast: it sees with its neighbours' too. */
const CAST_SHARE = 16;
/** Samples share rays where the square of those that do spans less than this share of the sculpt: in coarser maps it would average what differs, and
 *  they have few texels. */
const WIDEST_SHARE = 0.01;
const castBy = (rays: number): number => Math.ceil(rays / CAST_SHARE);

/** The same with rays shared between neighbours: values are known some rows later, when those have looked around too. */
class SharedOcclusion extends Occlusion {
  override readonly halo = SHARED_REACH;
  private readonly few: OcclusionAt;
  private readonly seen: SharedRays;
  private kept: Float32Array | null = null;

  constructor(
    texels: number,
    private readonly spec: OcclusionSpec,
    sculpt: SculptArrays,
    private readonly band: BandRows,
  ) {
    super(texels, spec, sculpt);
    const rays = castBy(spec.options.rays);
    this.few = new OcclusionAt(sculpt.tree, spec.options, rays, SHARED_SIDE ** 2);
    this.seen = new SharedRays(band.width * band.samples, SHARED_SIDE * band.samples, rays);
  }

  override add(at: SampleAt, kept: Float32Array | null = null): void {
    // rows around the band come without
    this.kept ??= kept;
    if (!this.locate(at)) return;
    const { few, seen, point, normal, spec } = this;
    const { column, row } = at;
    const span = at.place.texelSize / this.band.samples;
    const isFine = SHARED_SIDE * span <= WIDEST_SHARE * spec.extent;
    if (isFine && few.cast(point, normal, column, row, (column % SHARED_SIDE) + SHARED_SIDE * (row % SHARED_SIDE))) {
      at.search.rays += few.blocked.length;
      seen.keep(column, row, point, normal, span, few);
    } else seen.keepAlone(column, row, point, normal);
    this.count(at);
  }

  override write(texel: number): void {
    this.coverage[texel] = this.coverageOf();
  }

  override endRow(y: number, search: { rays: number }): void {
    const { width, samples: n, y0, y1 } = this.band;
    // that row has all its neighbours now
    const done = y - SHARED_REACH;
    if (done < y0 || done >= y1) return;
    for (let x = 0; x < width; x++) {
      let sum = 0;
      let found = 0;
      for (let row = done * n; row < (done + 1) * n; row++)
        for (let column = x * n; column < (x + 1) * n; column++) {
          if (!this.seen.read(column, row, this.point, this.normal)) continue;
          const shared = this.seen.openness(column, row);
          // too few around that see the same
          const open = Number.isNaN(shared) ? this.alone(column, row, search) : shared;
          if (this.kept !== null) this.kept[(row - y0 * n) * width * n + column] = open;
          sum += open;
          found++;
        }
      if (found > 0) this.values[(done - y0) * width + x] = sum / found;
    }
  }

  private alone(column: number, row: number, search: { rays: number }): number {
    search.rays += this.rays;
    return this.at.openness(this.point, this.normal, column, row);
  }
}
