import type { LowFrames } from '../frames/low-frames';
import { FrameAt } from '../frames/low-frames';
import type { Place } from './place';
import type { SculptSearch } from './sculpt-search';

/** Where the sculpt's normal is taken for a place of the base: at the same parameters of one stack, where the ray along the base's normal
 *  meets it (so that it fits a height map), or at the nearest point. */
export type NormalSource = 'parameter' | 'hit' | 'closest';

/** The sculpt's normal for a place, in the map's frame. One object a thread. */
export class NormalAt {
  /** Unit, object space. */
  readonly object = new Float64Array(3);
  /** Unit, in the frame; the same as `object` without one. */
  readonly framed = new Float64Array(3);
  private readonly frame: FrameAt | null;

  constructor(
    private readonly source: NormalSource,
    frames: LowFrames | null,
  ) {
    this.frame = frames === null ? null : new FrameAt(frames);
  }

  /** @param face the light mesh's face; u, v absolute
   *  @param hit whether the ray along the normal, cast just before, met the sculpt
   *  @returns false when there is no normal here */
  find(place: Place, search: SculptSearch, hit: boolean, face: number, u: number, v: number): boolean {
    const { object, framed, frame } = this;
    if (this.source === 'parameter') place.matchNormal(object);
    else if (this.source === 'hit' ? hit : search.nearest(place)) search.hitNormal(object);
    else return false;
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
