import type { AnswerSource, PointValues } from '../point-values';
import { readAnswer } from '../point-values';
import type { SampleAt } from './measure';
import { Measure } from './measure';

/** A map of what each point of the sculpt holds. */
export interface PointValueSpec {
  readonly source: AnswerSource;
  readonly values: PointValues;
}

export class PointValueMeasure extends Measure {
  constructor(
    texels: number,
    private readonly spec: PointValueSpec,
  ) {
    super(spec.values.width, texels, spec.source === 'hit');
  }

  protected find({ place, search, answered }: SampleAt, out: Float64Array): boolean {
    if (answered) readAnswer(out, this.spec.values, this.spec.source, place, search);
    return answered;
  }
}
