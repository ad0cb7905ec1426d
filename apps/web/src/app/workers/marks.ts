import type { Encoding, Field } from '@estampe/core';
import { channelEncoding, DOUBTFUL, INSIDE, integerCode, isInteger, maxCode, MENDED, MISSED } from '@estampe/core';
import type { Marks } from './field-messages';

export const MARK_MISSED = 1;
export const MARK_DOUBTFUL = 2;
export const MARK_CLIPPED = 3;
export const MARK_MENDED = 4;

/** More than this many texels a side cannot be told apart on the surface. */
const MAX_SIDE = 1024;

/** Finds the texels of a field that deserve a look.
 *  @param encoding whose range clips; null where nothing is encoded yet, or nothing can be cut off */
export function findMarks({ values, coverage, width: W, height: H, channels }: Field, encoding: Encoding | null): Marks {
  const side = Math.min(MAX_SIDE, Math.max(W, H));
  const classes = new Uint8Array(side * side);
  const counts = [0, 0, 0, 0, 0];
  const ranges =
    encoding !== null && isInteger(encoding.depth) ? Array.from({ length: channels }, (_, k) => channelEncoding(encoding, k)) : [];
  const top = encoding === null ? 0 : maxCode(encoding.depth);
  const clips = (i: number): boolean =>
    ranges.some((range, k) => {
      const q = integerCode(range, values[channels * i + k]);
      return q < 0 || q > top;
    });
  for (let y = 0; y < H; y++) {
    const row = Math.floor((y * side) / H) * side;
    for (let x = 0; x < W; x++) {
      const i = y * W + x;
      const c = coverage[i];
      let mark = c === MISSED ? MARK_MISSED : c === DOUBTFUL ? MARK_DOUBTFUL : 0;
      if (mark === 0 && (c === INSIDE || c === MENDED) && clips(i)) mark = MARK_CLIPPED;
      if (mark === 0 && c === MENDED) mark = MARK_MENDED;
      if (mark === 0) continue;
      counts[mark]++;
      const o = row + Math.floor((x * side) / W);
      if (classes[o] === 0 || mark < classes[o]) classes[o] = mark;
    }
  }
  return {
    side,
    classes,
    missed: counts[MARK_MISSED],
    doubtful: counts[MARK_DOUBTFUL],
    clipped: counts[MARK_CLIPPED],
    mended: counts[MARK_MENDED],
  };
}
