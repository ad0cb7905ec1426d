import { liftOf } from '../off-surface';
import type { SculptArrays } from '../sculpt-search';
import { ThicknessAt } from '../thickness-at';
import type { KindWork } from './kind-work';
import type { SurfacePointSpec } from './surface-point';
import { AtSurfacePoint } from './surface-point';

/** How far it is through the sculpt, against its normal. */
export interface ThicknessSpec extends SurfacePointSpec {
  readonly kind: 'thickness';
  /** Scene units: what is thicker counts as this. */
  readonly distance: number;
  readonly liftUnits: number;
}

/** Share of the sculpt's extent within which an inner side is looked for where nobody says. */
const DISTANCE_SHARE = 0.1;

export const thickness: KindWork<ThicknessSpec> = {
  prepare: (parts) => ({
    kind: 'thickness',
    source: parts.source,
    positions: parts.positions(),
    normals: parts.normals(),
    distance: parts.options.thicknessDistance === 'auto' ? DISTANCE_SHARE * parts.extent : parts.options.thicknessDistance,
    liftUnits: liftOf(parts.extent),
  }),
  measure: (spec, texels, sculpt) => new Thickness(texels, spec, sculpt),
  facts: ({ source, distance, liftUnits }) => ({ normalSource: source, distance, lift: liftUnits }),
};

class Thickness extends AtSurfacePoint {
  private readonly at: ThicknessAt;

  constructor(texels: number, spec: ThicknessSpec, sculpt: SculptArrays) {
    super(texels, spec, 1);
    this.at = new ThicknessAt(sculpt.tree, spec);
  }

  protected look(): number {
    return this.at.through(this.point, this.normal);
  }
}
