import type { AveragedSpec } from './curvature';
import type { KindWork } from './kind-work';
import { PointValueMeasure } from './point-value';

/** How hollow the sculpt is: 1 where it is as round as the ball of `radius`. */
export interface HollowsSpec extends AveragedSpec {
  readonly kind: 'hollows';
}

export const hollows: KindWork<HollowsSpec> = {
  prepare(parts) {
    const { values, radius, radiusEdges } = parts.curvature();
    const depths = values.map((h) => Math.max(0, -h * radius));
    return { kind: 'hollows', source: parts.source, values: parts.shared(depths), radius, radiusEdges };
  },
  measure: (spec, texels) => new PointValueMeasure(texels, spec),
  facts: ({ source, radius }) => ({ normalSource: source, radius }),
};
