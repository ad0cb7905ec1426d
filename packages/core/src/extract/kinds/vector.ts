import { DerivativeFrameAt, FRAME_RULE } from '../../frames/derivative-frames';
import { FrameAt } from '../../frames/low-frames';
import type { AnswerSource, PointValues } from '../point-values';
import { readAnswer } from '../point-values';
import type { KindWork, PassParts } from './kind-work';
import type { SampleAt } from './measure';
import { Measure } from './measure';
import type { VectorFrame } from './vector-frame';

/** From the base to the sculpt: to the same parameters in one stack, else to the pass's answer. */
export interface VectorSpec {
  readonly kind: 'vector';
  readonly source: AnswerSource;
  /** Null where they are the same-parameter points that every place has. */
  readonly positions: PointValues | null;
  readonly frame: VectorFrame;
}

export const vector: KindWork<VectorSpec> = {
  prepare(parts) {
    const { match, source } = parts;
    return match === null
      ? { kind: 'vector', source, positions: parts.positions(), frame: frameOf(parts) }
      : { kind: 'vector', source: 'parameter', positions: null, frame: frameOf(parts) };
  },
  measure: (spec, texels) => new Vectors(texels, spec),
  facts: ({ source, frame }) => ({
    frame: frame.kind,
    normalSource: source,
    frameLevel: frame.kind === 'derivative' ? frame.level : null,
    frameRule: frame.kind === 'derivative' ? FRAME_RULE : null,
  }),
  // what rays find is the same vector on both sides, in tangent space turned with the frame
  sidesAlike: ({ frame, source }) => frame.kind === 'object' || source === 'hit',
};

function frameOf(parts: PassParts): VectorFrame {
  const kind = parts.options.vectorFrame;
  if (kind === 'object') return { kind };
  return kind === 'mikk' ? { kind, frames: parts.mikkFrames() } : { kind, ...parts.derivativeFrames() };
}

class Vectors extends Measure {
  private readonly source: AnswerSource;
  private readonly positions: PointValues | null;
  private readonly mikk: FrameAt | null;
  private readonly derivative: DerivativeFrameAt | null;

  constructor(texels: number, { source, positions, frame }: VectorSpec) {
    super(3, texels, source === 'hit');
    this.source = source;
    this.positions = positions;
    this.mikk = frame.kind === 'mikk' ? new FrameAt(frame.frames) : null;
    this.derivative = frame.kind === 'derivative' ? new DerivativeFrameAt(frame.frames) : null;
  }

  protected find({ place, search, answered, face, u, v }: SampleAt, out: Float64Array): boolean {
    if (this.source !== 'parameter' && !answered) return false;
    if (this.positions === null) {
      out[0] = place.mx;
      out[1] = place.my;
      out[2] = place.mz;
    } else readAnswer(out, this.positions, this.source, place, search);
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
