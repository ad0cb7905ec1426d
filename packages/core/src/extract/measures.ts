import type { DerivativeFrames } from '../frames/derivative-frames';
import { DerivativeFrameAt } from '../frames/derivative-frames';
import type { LowFrames } from '../frames/low-frames';
import { FrameAt } from '../frames/low-frames';
import { DOUBTFUL, INSIDE, MISSED } from '../raster/field';
import { NormalAt } from './normal-at';
import type { OcclusionOptions } from './occlusion-at';
import { OcclusionAt } from './occlusion-at';
import type { Place } from './place';
import type { AnswerSource, PointValues } from './point-values';
import { readAnswer } from './point-values';
import type { SculptArrays, SculptSearch } from './sculpt-search';

/** Frame of a vector map with what threads need to find it. */
export type VectorFrame =
  | { readonly kind: 'object' }
  | { readonly kind: 'mikk'; readonly frames: LowFrames }
  | { readonly kind: 'derivative'; readonly frames: DerivativeFrames };

/** One map to measure, in shareable arrays. */
export type MeasureSpec =
  | { readonly kind: 'scalar' }
  | { readonly kind: 'vector'; readonly source: AnswerSource; readonly positions: PointValues; readonly frame: VectorFrame }
  | { readonly kind: 'normal'; readonly source: AnswerSource; readonly normals: PointValues; readonly frames: LowFrames | null }
  | {
      readonly kind: 'occlusion';
      readonly source: AnswerSource;
      readonly positions: PointValues;
      readonly normals: PointValues;
      readonly options: OcclusionOptions;
    }
  | { readonly kind: 'curvature' | 'hollows' | 'colour'; readonly source: AnswerSource; readonly values: PointValues };

/** A sample of a texel, as measures look at it. One object a thread, overwritten from sample to sample. */
export interface SampleAt {
  readonly place: Place;
  readonly search: SculptSearch;
  /** Whether the ray along the normal met the sculpt. */
  hit: boolean;
  /** Whether there is an answer on the sculpt by the source that maps but heights use. */
  answered: boolean;
  /** The light mesh's face and absolute UVs. */
  face: number;
  u: number;
  v: number;
  /** Column and row of the sample in the tile, for seeds. */
  column: number;
  row: number;
}

export const channelsOf = (kind: MeasureSpec['kind']): 1 | 3 => (kind === 'vector' || kind === 'normal' || kind === 'colour' ? 3 : 1);

/** Gathers the samples of a texel into its value and coverage class: the mean of those that have one. */
export abstract class Measure {
  readonly values: Float32Array;
  readonly coverage: Uint8Array;
  protected found = 0;
  protected readonly sum = new Float64Array(3);
  private readonly one = new Float64Array(3);
  private doubtful = false;

  constructor(
    readonly channels: 1 | 3,
    texels: number,
    /** Whether an unsure ray makes the texel doubtful. */
    private readonly byRay: boolean,
  ) {
    this.values = new Float32Array(channels * texels);
    this.coverage = new Uint8Array(texels);
  }

  clear(): void {
    this.found = 0;
    this.doubtful = false;
    this.sum.fill(0);
  }

  /** @param kept where the sample's own values go; null where nobody wants them */
  add(at: SampleAt, kept: Float32Array | null = null, sample = 0): void {
    if (!this.find(at, this.one)) return;
    this.found++;
    if (kept !== null) for (let k = 0; k < this.channels; k++) kept[this.channels * sample + k] = this.one[k];
    for (let k = 0; k < this.channels; k++) this.sum[k] += this.one[k];
    if (this.byRay && at.search.doubtful) this.doubtful = true;
  }

  /** The value of one sample alone. Writes out[0..channels - 1]. @returns false when it has none */
  valueAt(at: SampleAt, out: Float64Array): boolean {
    return this.find(at, out);
  }

  /** Writes the texel; only for covered ones. */
  write(texel: number): void {
    this.coverage[texel] = this.found === 0 ? MISSED : this.doubtful ? DOUBTFUL : INSIDE;
    if (this.found > 0) for (let k = 0; k < this.channels; k++) this.values[this.channels * texel + k] = this.sum[k] / this.found;
  }

  /** @returns false when the sample has no value */
  protected abstract find(at: SampleAt, out: Float64Array): boolean;
}

class Heights extends Measure {
  constructor(texels: number) {
    super(1, texels, true);
  }

  protected find({ hit, search }: SampleAt, out: Float64Array): boolean {
    out[0] = search.height;
    return hit;
  }
}

class Vectors extends Measure {
  private readonly source: AnswerSource;
  private readonly positions: PointValues;
  private readonly mikk: FrameAt | null;
  private readonly derivative: DerivativeFrameAt | null;

  constructor(texels: number, { source, positions, frame }: Extract<MeasureSpec, { kind: 'vector' }>) {
    super(3, texels, source === 'hit');
    this.source = source;
    this.positions = positions;
    this.mikk = frame.kind === 'mikk' ? new FrameAt(frame.frames) : null;
    this.derivative = frame.kind === 'derivative' ? new DerivativeFrameAt(frame.frames) : null;
  }

  protected find({ place, search, answered, face, u, v }: SampleAt, out: Float64Array): boolean {
    if (this.source !== 'parameter' && !answered) return false;
    readAnswer(out, this.positions, this.source, place, search);
    const dx = out[0] - place.px;
    const dy = out[1] - place.py;
    const dz = out[2] - place.pz;
    if (this.mikk !== null) {
      this.mikk.set(face, u, v);
      this.mikk.toFrame(out, 0, dx, dy, dz);
    } else if (this.derivative !== null) {
      place.frameInto(this.derivative);
      this.derivative.toFrame(out, 0, dx, dy, dz);
    } else {
      out[0] = dx;
      out[1] = dy;
      out[2] = dz;
    }
    return true;
  }
}

class Normals extends Measure {
  private readonly at: NormalAt;

  constructor(texels: number, { source, normals, frames }: Extract<MeasureSpec, { kind: 'normal' }>) {
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

class Occlusion extends Measure {
  private readonly at: OcclusionAt;
  private readonly spec: Extract<MeasureSpec, { kind: 'occlusion' }>;
  private readonly point = new Float64Array(3);
  private readonly normal = new Float64Array(3);

  constructor(texels: number, spec: Extract<MeasureSpec, { kind: 'occlusion' }>, sculpt: SculptArrays) {
    super(1, texels, spec.source === 'hit');
    this.spec = spec;
    this.at = new OcclusionAt(sculpt.tree, spec.options);
  }

  protected find({ place, search, answered, column, row }: SampleAt, out: Float64Array): boolean {
    if (!answered) return false;
    const { source, positions, normals } = this.spec;
    readAnswer(this.point, positions, source, place, search);
    readAnswer(this.normal, normals, source, place, search);
    const length = Math.hypot(this.normal[0], this.normal[1], this.normal[2]);
    if (length === 0) return false;
    for (let k = 0; k < 3; k++) this.normal[k] /= length;
    out[0] = this.at.openness(this.point, this.normal, column, row);
    search.rays += this.spec.options.rays;
    return true;
  }
}

class SurfaceValues extends Measure {
  constructor(
    texels: number,
    private readonly spec: Extract<MeasureSpec, { kind: 'curvature' | 'hollows' | 'colour' }>,
  ) {
    super(spec.values.width, texels, spec.source === 'hit');
  }

  protected find({ place, search, answered }: SampleAt, out: Float64Array): boolean {
    if (answered) readAnswer(out, this.spec.values, this.spec.source, place, search);
    return answered;
  }
}

export function createMeasure(spec: MeasureSpec, texels: number, sculpt: SculptArrays): Measure {
  switch (spec.kind) {
    case 'scalar':
      return new Heights(texels);
    case 'vector':
      return new Vectors(texels, spec);
    case 'normal':
      return new Normals(texels, spec);
    case 'occlusion':
      return new Occlusion(texels, spec, sculpt);
    default:
      return new SurfaceValues(texels, spec);
  }
}
