import type { LowFrames } from '../../frames/low-frames';
import type { MapKind } from '../../raster/map-kinds';
import { NormalAt } from '../normal-at';
import type { AnswerSource, PointValues } from '../point-values';
import type { KindWork } from './kind-work';
import type { SampleAt } from './measure';
import { Measure } from './measure';

/** The sculpt's interpolated normal, in the frame at the base's place. */
export interface NormalSpec {
  readonly kind: 'normal';
  readonly source: AnswerSource;
  readonly normals: PointValues;
  /** Null in object space. */
  readonly frames: LowFrames | null;
}

export const normal: KindWork<NormalSpec> = {
  prepare: (parts) => ({
    kind: 'normal',
    source: parts.source,
    normals: parts.normals(),
    frames: parts.options.frame === 'mikk' ? parts.mikkFrames() : null,
  }),
  measure: (spec, texels) => new Normals(texels, spec),
  facts: ({ source, frames }) => ({ frame: frames === null ? 'object' : 'mikk', normalSource: source }),
  sidesAlike: ({ frames }) => frames === null,
};

export const isNormals = (spec: { readonly kind: MapKind }): spec is NormalSpec => spec.kind === 'normal';

class Normals extends Measure {
  private readonly at: NormalAt;

  constructor(texels: number, { source, normals, frames }: NormalSpec) {
    super(3, texels, source === 'hit');
    this.at = new NormalAt(source, normals, frames);
  }

  protected find({ place, search, answered, face, u, v }: SampleAt, out: Float64Array): boolean {
    if (!answered || !this.at.find(place, search, face, u, v)) return false;
    out.set(this.at.framed);
    return true;
  }

  override write(texel: number): void {
    const length = Math.hypot(this.sum[0], this.sum[1], this.sum[2]);
    if (length === 0) this.found = 0;
    super.write(texel);
    for (let k = 0; k < 3; k++) this.values[3 * texel + k] = length === 0 ? (k === 2 ? 1 : 0) : this.sum[k] / length;
  }
}
