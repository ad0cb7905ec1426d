import type { AnswerSource, PointValues } from '../point-values';
import { readAnswer } from '../point-values';
import type { SampleAt } from './measure';
import { Measure } from './measure';

/** A map that looks around from the sculpt's point: what finds its value gets the point and its unit normal. */
export interface SurfacePointSpec {
  readonly source: AnswerSource;
  readonly positions: PointValues;
  readonly normals: PointValues;
}

export abstract class AtSurfacePoint extends Measure {
  protected readonly point = new Float64Array(3);
  protected readonly normal = new Float64Array(3);

  constructor(
    texels: number,
    private readonly from: SurfacePointSpec,
    /** Rays that a sample takes. */
    protected readonly rays: number,
  ) {
    super(1, texels, from.source === 'hit');
  }

  protected find(at: SampleAt, out: Float64Array): boolean {
    if (!this.locate(at)) return false;
    out[0] = this.look(at);
    at.search.rays += this.rays;
    return true;
  }

  /** Puts the sample's place on the sculpt into `point` and `normal`. @returns false where it has none */
  protected locate(at: SampleAt): boolean {
    if (!at.answered) return false;
    const { from, point, normal } = this;
    readAnswer(point, from.positions, from.source, at.place, at.search);
    readAnswer(normal, from.normals, from.source, at.place, at.search);
    const length = Math.hypot(normal[0], normal[1], normal[2]);
    if (length === 0) return false;
    for (let k = 0; k < 3; k++) normal[k] /= length;
    return true;
  }

  /** The value, from `point` along `normal`. */
  protected abstract look(at: SampleAt): number;
}
