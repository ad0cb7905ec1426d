import type { Bvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';
import { LineBatch } from '../spatial/line-batch';
import type { Place } from './place';

/** The sculpt as threads search it. */
export interface SculptArrays {
  readonly tree: Bvh;
  readonly reach: number; // scene units
  /** Points of its triangles, 3 T; null when nothing but heights is asked for, or nothing is searched. */
  readonly verts: Uint32Array | null;
}

/** A hit flatter than this against the surface (about 6 degrees) is doubtful. */
const GRAZING_COSINE = 0.1;
/** Another answer up to this much farther away than the chosen one makes it doubtful. */
const EQUALLY_GOOD = 1.25;
/** Hits nearer to each other than this share of the reach are one. */
const SAME_HIT = 1e-4;

/** Finds the sculpt over a place of the base, with how sure the answer is. One object a thread; it holds its last answer. */
export class SculptSearch {
  /** d with P + d N on the sculpt. */
  height = 0;
  doubtful = false;
  rays = 0;
  private readonly lines: LineBatch;
  private taken = 0;
  private readonly closest: ClosestQuery;
  private triangle = 0;
  private u = 0;
  private v = 0;

  constructor(private readonly sculpt: SculptArrays) {
    const { reach } = sculpt;
    this.lines = new LineBatch(sculpt.tree, { reach, beyond: EQUALLY_GOOD, apart: SAME_HIT * reach });
    this.closest = new ClosestQuery(sculpt.tree);
  }

  /** Asks along the normal, both ways, for the hit that faces the base and lies nearest to the place's wanted height; up to MOST_LINES before `answer`. */
  ask(place: Place): void {
    this.lines.add(place);
  }

  /** Answers all that was asked; `take` gives one after another, in the order of asking. */
  answer(): void {
    this.rays += this.lines.answer();
    this.taken = 0;
  }

  /** @returns false when nothing faces the base within reach */
  take(): boolean {
    const { lines, sculpt } = this;
    const i = this.taken++;
    const slot = lines.slot(i);
    if (slot < 0) return false;
    this.height = lines.t(i);
    this.doubtful = lines.cosine(i) < GRAZING_COSINE || lines.hasRival(i);
    if (sculpt.verts === null) return true;
    this.triangle = sculpt.tree.triangles[slot];
    this.u = lines.u(i);
    this.v = lines.v(i);
    return true;
  }

  /** One place alone. @returns false when nothing faces the base within reach */
  along(place: Place): boolean {
    this.ask(place);
    this.answer();
    return this.take();
  }

  /** The nearest point in space. @returns false when there is none within reach */
  nearest({ px, py, pz }: Place): boolean {
    const { closest } = this;
    if (!closest.find(px, py, pz, this.sculpt.reach)) return false;
    this.triangle = closest.triangle;
    this.u = closest.u;
    this.v = closest.v;
    this.doubtful = false;
    return true;
  }

  /** A value a point of the sculpt at the last answer, blended. Writes out[0..width - 1]. */
  read(out: Float64Array, values: Float32Array, width: number): void {
    const { verts } = this.sculpt;
    if (verts === null) return;
    const { triangle: t, u, v } = this;
    const a = width * verts[3 * t], b = width * verts[3 * t + 1], c = width * verts[3 * t + 2]; // prettier-ignore
    for (let k = 0; k < width; k++) out[k] = (1 - u - v) * values[a + k] + u * values[b + k] + v * values[c + k];
  }
}
