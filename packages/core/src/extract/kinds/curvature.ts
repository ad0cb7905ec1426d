import type { KindWork } from './kind-work';
import type { PointValueSpec } from './point-value';
import { PointValueMeasure } from './point-value';

/** A value that comes from the mean curvature over a ball. */
export interface AveragedSpec extends PointValueSpec {
  /** Of the ball, scene units. */
  readonly radius: number;
  /** That radius in mean edges of the sculpt; null where it has none. */
  readonly radiusEdges: number | null;
}
export interface CurvatureSpec extends AveragedSpec {
  readonly kind: 'curvature';
}

export const curvature: KindWork<CurvatureSpec> = {
  prepare(parts) {
    const { values, radius, radiusEdges } = parts.curvature();
    return { kind: 'curvature', source: parts.source, values: parts.shared(values), radius, radiusEdges };
  },
  measure: (spec, texels) => new PointValueMeasure(texels, spec),
  facts: ({ source, radius }) => ({ normalSource: source, radius }),
};
