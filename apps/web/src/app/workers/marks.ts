import type { Encoding, Field } from '@estampe/core';
import { channelEncoding, DOUBTFUL, INSIDE, integerCode, isInteger, maxCode, MENDED, MISSED } from '@estampe/core';
import type { Marks } from './field-messages';

export const MARK_MISSED = 1;
export const MARK_DOUBTFUL = 2;
export const MARK_CLIPPED = 3;
export const MARK_MENDED = 4;

/** More than this many texels a side cannot be told apart on the surface. */
const MAX_SIDE = 1024;

/** Finds the texels of a field that deserve a look, strip by strip. */
export class MarkFinder {
  private readonly side: number;
  private readonly classes: Uint8Array;
  private readonly counts = [0, 0, 0, 0, 0];
  private readonly ranges: readonly Encoding[];
  private readonly top: number;

  /** @param encoding whose range clips; null where nothing is encoded yet, or nothing can be cut off */
  constructor(
    width: number,
    private readonly height: number,
    private readonly channels: number,
    encoding: Encoding | null,
  ) {
    this.side = Math.min(MAX_SIDE, Math.max(width, height));
    this.classes = new Uint8Array(this.side * this.side);
    const whole = encoding !== null && isInteger(encoding.depth);
    this.ranges = whole ? Array.from({ length: channels }, (_, k) => channelEncoding(encoding, k)) : [];
    this.top = encoding === null ? 0 : maxCode(encoding.depth);
  }

  /** Adds rows of the field. @param first which of its rows these begin with */
  add({ values, coverage, width: W, height }: Field, first: number): this {
    const { side, classes, counts } = this;
    for (let y = 0; y < height; y++) {
      const row = Math.floor(((first + y) * side) / this.height) * side;
      for (let x = 0; x < W; x++) {
        const i = y * W + x;
        const c = coverage[i];
        let mark = c === MISSED ? MARK_MISSED : c === DOUBTFUL ? MARK_DOUBTFUL : 0;
        if (mark === 0 && (c === INSIDE || c === MENDED) && this.clips(values, i)) mark = MARK_CLIPPED;
        if (mark === 0 && c === MENDED) mark = MARK_MENDED;
        if (mark === 0) continue;
        counts[mark]++;
        const o = row + Math.floor((x * side) / W);
        if (classes[o] === 0 || mark < classes[o]) classes[o] = mark;
      }
    }
    return this;
  }

  found(): Marks {
    const { side, classes, counts } = this;
    return {
      side,
      classes,
      missed: counts[MARK_MISSED],
      doubtful: counts[MARK_DOUBTFUL],
      clipped: counts[MARK_CLIPPED],
      mended: counts[MARK_MENDED],
    };
  }

  private clips(values: Float32Array, texel: number): boolean {
    for (let k = 0; k < this.ranges.length; k++) {
      const q = integerCode(this.ranges[k], values[this.channels * texel + k]);
      if (q < 0 || q > this.top) return true;
    }
    return false;
  }
}
