import type { KindWork } from './kind-work';
import type { PointValueSpec } from './point-value';
import { PointValueMeasure } from './point-value';

/** The sculpt's point colours, as they are stored. */
export interface ColourSpec extends PointValueSpec {
  readonly kind: 'colour';
}

export const colour: KindWork<ColourSpec> = {
  prepare: (parts) => ({ kind: 'colour', source: parts.source, values: parts.colours() }),
  measure: (spec, texels) => new PointValueMeasure(texels, spec),
  facts: ({ source }, { shade }, colourSpace) => ({
    normalSource: source,
    colourSpace,
    shade: shade?.by ?? null,
    strength: shade?.strength ?? null,
  }),
};
