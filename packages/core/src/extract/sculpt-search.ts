import type { Bvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';
import { LineQuery } from '../spatial/ray';
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

/** Finds the sculpt over a place of the base, with how sure the answer is. One object a thread; it holds its last answer. */
export class SculptSearch {
  /** d with P + d N on the sculpt. */
  height = 0;
  doubtful = false;
  rays = 0;
  private readonly line: LineQuery;
  private readonly closest: ClosestQuery;
  private triangle = 0;
  private u = 0;
  private v = 0;

  constructor(private readonly sculpt: SculptArrays) {
    this.line = new LineQuery(sculpt.tree);
    this.closest = new ClosestQuery(sculpt.tree);
  }

  /** Along the normal, both ways: the hit that faces the base and lies nearest to the place's wanted height.
   *  @returns false when nothing faces the base within reach */
  along(place: Place): boolean {
    const { line } = this;
    const { reach } = this.sculpt;
    const { px, py, pz, nx, ny, nz, near } = place;
    this.rays++;
    if (!line.nearest(px, py, pz, nx, ny, nz, near, -reach, reach, 'along', EQUALLY_GOOD)) return false;
    this.height = line.t;
    this.triangle = line.triangle;
    this.u = line.u;
    this.v = line.v;
    this.doubtful = line.cosine < GRAZING_COSINE || this.hasRival(place);
    return true;
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

  /** Whether another layer of the sculpt is about as near to the wanted height as the one chosen. */
  private hasRival({ px, py, pz, nx, ny, nz, near }: Place): boolean {
    const { line, height } = this;
    const { reach } = this.sculpt;
    const off = Math.abs(height - near);
    const apart = 1e-4 * reach; // a shared edge answers twice at one height
    if (off * EQUALLY_GOOD < apart) return false;
    const lo = Math.max(-reach, near - EQUALLY_GOOD * off);
    const hi = Math.min(reach, near + EQUALLY_GOOD * off);
    const from = height - apart;
    const to = height + apart;
    return (
      line.hasOther(lo, from, to, hi) ??
      ((from >= lo && line.nearest(px, py, pz, nx, ny, nz, near, lo, from, 'along')) ||
        (to <= hi && line.nearest(px, py, pz, nx, ny, nz, near, to, hi, 'along')))
    );
  }
}
