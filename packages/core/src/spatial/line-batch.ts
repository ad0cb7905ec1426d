import type { Bvh } from './bvh';
import { LineQuery, NO_HIT } from './ray';
import type { LineArrays, RaySearcher } from './wide-tree';
import { MOST_LINES, searcherOf } from './wide-tree';

/** What is looked for on every line of a batch. */
export interface LineRule {
  /** Hits count at t in [-reach, reach]. */
  readonly reach: number;
  /** Another hit up to so many times as far from the wanted t as the answer is its rival; above 1. */
  readonly beyond: number;
  /** Hits no farther than this from the answer are the answer itself, met again: a shared edge answers twice at one t. */
  readonly apart: number;
}

/** Lines asked for together: a call of a kernel costs more than some of the lines. Each is answered as `LineQuery` does with facing `along`.
 *  One object a thread and tree at a time; it holds the last answers until lines are added anew. */
export class LineBatch {
  /** Lines added since they were last answered. */
  private added = 0;
  private readonly arrays: LineArrays;
  private readonly line: LineQuery;
  private readonly searcher: RaySearcher | null;

  constructor(
    private readonly bvh: Bvh,
    private readonly rule: LineRule,
  ) {
    this.line = new LineQuery(bvh);
    this.searcher = bvh.wide === null ? null : searcherOf(bvh.wide);
    this.arrays = this.searcher?.many ?? {
      lines: new Float64Array(8 * MOST_LINES),
      answers: new Float64Array(4 * MOST_LINES),
      hits: new Int32Array(2 * MOST_LINES),
    };
  }

  /** Adds the line from a place along its normal; at most MOST_LINES between answers. An object, because numbers of a call are made anew each time. */
  add(place: { px: number; py: number; pz: number; nx: number; ny: number; nz: number; near: number }): void {
    const { lines } = this.arrays;
    const o = 8 * this.added++;
    lines[o] = place.px;
    lines[o + 1] = place.py;
    lines[o + 2] = place.pz;
    lines[o + 3] = place.nx;
    lines[o + 4] = place.ny;
    lines[o + 5] = place.nz;
    lines[o + 6] = place.near;
  }

  /** Answers what was added. @returns how many lines that were */
  answer(): number {
    const { added } = this;
    this.added = 0;
    if (this.searcher && this.bvh.wide) {
      const { kernel, scratch, nodesAt } = this.searcher;
      const { reach, beyond, apart } = this.rule;
      kernel.nearestOfMany(scratch, nodesAt, this.bvh.wide.vertsAt, this.bvh.largest, added, reach, beyond, apart);
    } else for (let i = 0; i < added; i++) this.answerPlainly(i);
    return added;
  }

  /** Slot in leaf order of a line's answer, negative where there is none. */
  slot(i: number): number {
    return this.arrays.hits[2 * i];
  }

  t(i: number): number {
    return this.arrays.answers[4 * i];
  }

  /** Barycentric weights of the triangle's second and third corner. */
  u(i: number): number {
    return this.arrays.answers[4 * i + 1];
  }

  v(i: number): number {
    return this.arrays.answers[4 * i + 2];
  }

  /** Cosine between the line's direction and the triangle's normal. */
  cosine(i: number): number {
    return this.arrays.answers[4 * i + 3];
  }

  /** Whether the answer has a rival. */
  hasRival(i: number): boolean {
    const known = this.arrays.hits[2 * i + 1];
    return known < 0 ? this.rivalAround(i) : known === 1;
  }

  private answerPlainly(i: number): void {
    const { line, arrays } = this;
    const { answers, hits } = arrays;
    hits[2 * i] = this.search(i, -this.rule.reach, this.rule.reach) ? line.slot : -1;
    hits[2 * i + 1] = -1;
    if (line.slot === NO_HIT) return;
    answers[4 * i] = line.t;
    answers[4 * i + 1] = line.u;
    answers[4 * i + 2] = line.v;
    answers[4 * i + 3] = line.cosine;
  }

  /** Looks for a rival below the answer and above it. */
  private rivalAround(i: number): boolean {
    const { reach, beyond, apart } = this.rule;
    const near = this.arrays.lines[8 * i + 6];
    const t = this.t(i);
    const off = beyond * Math.abs(t - near);
    if (off < apart) return false;
    const lo = Math.max(-reach, near - off);
    const hi = Math.min(reach, near + off);
    return (t - apart >= lo && this.search(i, lo, t - apart)) || (t + apart <= hi && this.search(i, t + apart, hi));
  }

  private search(i: number, tMin: number, tMax: number): boolean {
    const { lines: l } = this.arrays;
    const o = 8 * i;
    return this.line.nearest(l[o], l[o + 1], l[o + 2], l[o + 3], l[o + 4], l[o + 5], l[o + 6], tMin, tMax, 'along');
  }
}
