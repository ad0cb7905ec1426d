import type { KindWork } from './kind-work';
import type { SampleAt } from './measure';
import { Measure } from './measure';

/** Heights along the base's normal, where the ray meets the sculpt. */
export interface ScalarSpec {
  readonly kind: 'scalar';
}

export const scalar: KindWork<ScalarSpec> = {
  prepare: () => ({ kind: 'scalar' }),
  measure: (_, texels) => new Heights(texels),
  facts: () => ({}),
};

class Heights extends Measure {
  override readonly looksAtPlaces = false;

  constructor(texels: number) {
    super(1, texels, true);
  }

  protected find({ hit, search }: SampleAt, out: Float64Array): boolean {
    out[0] = search.height;
    return hit;
  }
}
