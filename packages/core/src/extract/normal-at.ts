import type { LowFrames } from '../frames/low-frames';
import { FrameAt } from '../frames/low-frames';
import type { Place } from './place';
import type { AnswerSource, PointValues } from './point-values';
import { readAnswer } from './point-values';
import type { SculptSearch } from './sculpt-search';

/** The sculpt's normal for a place, in the map's frame. One object a thread. */
export class NormalAt {
  /** Unit, object space. */
  readonly object = new Float64Array(3);
  /** Unit, in the frame; the same as `object` without one. */
  readonly framed = new Float64Array(3);
  private readonly frame: FrameAt | null;

  constructor(
    private readonly source: AnswerSource,
    private readonly values: PointValues,
    frames: LowFrames | null,
  ) {
    this.frame = frames === null ? null : new FrameAt(frames);
  }

  /** Of the answer that `place` and `search` hold. @param face the light mesh's face; u, v absolute
   *  @returns false when there is no normal here */
  find(place: Place, search: SculptSearch, face: number, u: number, v: number): boolean {
    const { object, framed, frame } = this;
    readAnswer(object, this.values, this.source, place, search);
    if (!normalise(object)) return false;
    if (frame === null) framed.set(object);
    else {
      frame.set(face, u, v);
      frame.toFrame(framed, 0, object[0], object[1], object[2]);
    }
    return normalise(framed);
  }

  /** Object-space unit direction of frame components at the place last asked for. */
  decode(out: Float64Array, x: number, y: number, z: number): boolean {
    if (this.frame === null) {
      out[0] = x;
      out[1] = y;
      out[2] = z;
    } else this.frame.fromFrame(out, 0, x, y, z);
    return normalise(out);
  }
}

/** @returns false for a vector without length */
function normalise(n: Float64Array): boolean {
  const length = Math.hypot(n[0], n[1], n[2]);
  if (length === 0) return false;
  n[0] /= length;
  n[1] /= length;
  n[2] /= length;
  return true;
}
