import type { OcclusionOptions } from '../occlusion-at';
import { OcclusionAt } from '../occlusion-at';
import { liftOf } from '../off-surface';
import type { SculptArrays } from '../sculpt-search';
import type { KindWork } from './kind-work';
import type { SampleAt } from './measure';
import type { SurfacePointSpec } from './surface-point';
import { AtSurfacePoint } from './surface-point';

/** How open the sculpt is. */
export interface OcclusionSpec extends SurfacePointSpec {
  readonly kind: 'occlusion';
  readonly options: OcclusionOptions;
}

export const occlusion: KindWork<OcclusionSpec> = {
  prepare: (parts) => ({
    kind: 'occlusion',
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
  measure: (spec, texels, sculpt) => new Occlusion(texels, spec, sculpt),
  facts: ({ source, options: { rays, seed, liftUnits, distance } }) => ({
    normalSource: source,
    rays,
    seed,
    lift: liftUnits,
    distance: Number.isFinite(distance) ? distance : null,
  }),
  // tiles have noise of their own
  atTile: (spec, tile) => ({ ...spec, options: { ...spec.options, tile } }),
};

class Occlusion extends AtSurfacePoint {
  private readonly at: OcclusionAt;

  constructor(texels: number, spec: OcclusionSpec, sculpt: SculptArrays) {
    super(texels, spec, spec.options.rays);
    this.at = new OcclusionAt(sculpt.tree, spec.options);
  }

  protected look({ column, row }: SampleAt): number {
    return this.at.openness(this.point, this.normal, column, row);
  }
}
