import type { Bvh } from './bvh';
import { NODE_WORDS } from './bvh';

export const NO_HIT = 0xffffffff;

/** Which side of a triangle counts: those whose normal has a positive dot with the direction, or both. */
export type Facing = 'along' | 'any';

/** Finds, on the line origin + t direction, the hit with t nearest to a wanted t. One query object a thread:
 *  it owns the traversal stack and its last answer.
 *
 *  Answers are watertight at shared edges: the edge functions are evaluated in double precision from the same float32 corners,
 *  and a hit exactly on an edge counts for both its triangles. */
export class LineQuery {
  /** Slot in leaf order of the last answer, NO_HIT when there was none. */
  slot = NO_HIT;
  t = 0;
  /** Barycentric weights of the triangle's second and third corner. */
  u = 0;
  v = 0;
  /** Cosine between the line's direction and the triangle's normal. */
  cosine = 0;
  private readonly stack = new Int32Array(256);
  private readonly stackDistance = new Float64Array(256);

  /** How far rounding may move a box's face, scene units: far above it, far below a triangle. */
  private readonly slackUnits: number;

  constructor(private readonly bvh: Bvh) {
    let largest = 0;
    for (let k = 0; k < 12; k++) if (Number.isFinite(bvh.nodes[k])) largest = Math.max(largest, Math.abs(bvh.nodes[k]));
    this.slackUnits = 1e-12 * largest;
  }

  /** Caller's triangle index of the last answer. */
  get triangle(): number {
    return this.slot === NO_HIT ? NO_HIT : this.bvh.triangles[this.slot];
  }

  /** Hit with t in [tMin, tMax] nearest to `tNear`; false when there is none. The direction need not be unit. */
  nearest(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    tNear: number,
    tMin: number,
    tMax: number,
    facing: Facing,
  ): boolean {
    const { nodes, refs } = this.bvh;
    const { stack, stackDistance } = this;
    const along = facing === 'along';
    // A zero component gives infinite or, for an origin on a slab's face, NaN distances; the comparisons below pass NaN over.
    const ix = dx === 0 ? Infinity : 1 / dx; // never -Infinity for -0
    const iy = dy === 0 ? Infinity : 1 / dy;
    const iz = dz === 0 ? Infinity : 1 / dz;
    // boxes are widened by this much so that rounding in the slabs cannot lose an edge
    const slack = this.slackUnits / Math.sqrt(dx * dx + dy * dy + dz * dz);
    const sx = dx < 0 ? 3 : 0, sy = dy < 0 ? 3 : 0, sz = dz < 0 ? 3 : 0; // prettier-ignore
    this.slot = NO_HIT;
    let lo = tMin;
    let hi = tMax;
    let best = Infinity;
    let depth = 0;
    let ref = 0;
    for (;;) {
      if (ref < 0) {
        const first = ref & 0x7ffffff;
        const last = first + ((ref >>> 27) & 15);
        for (let i = first; i <= last; i++) {
          if (this.testTriangle(i, ox, oy, oz, dx, dy, dz, lo, hi, tNear, best, along)) {
            best = this.t > tNear ? this.t - tNear : tNear - this.t;
            if (tNear - best > lo) lo = tNear - best;
            if (tNear + best < hi) hi = tNear + best;
          }
        }
      } else {
        const o = ref * NODE_WORDS;
        const ax0 = (nodes[o + sx] - ox) * ix, ax1 = (nodes[o + 3 - sx] - ox) * ix; // prettier-ignore
        const ay0 = (nodes[o + 1 + sy] - oy) * iy, ay1 = (nodes[o + 4 - sy] - oy) * iy; // prettier-ignore
        const az0 = (nodes[o + 2 + sz] - oz) * iz, az1 = (nodes[o + 5 - sz] - oz) * iz; // prettier-ignore
        let an = -Infinity, af = Infinity, bn = -Infinity, bf = Infinity; // prettier-ignore
        if (ax0 > an) an = ax0;
        if (ay0 > an) an = ay0;
        if (az0 > an) an = az0;
        if (ax1 < af) af = ax1;
        if (ay1 < af) af = ay1;
        if (az1 < af) af = az1;
        const bx0 = (nodes[o + 6 + sx] - ox) * ix, bx1 = (nodes[o + 9 - sx] - ox) * ix; // prettier-ignore
        const by0 = (nodes[o + 7 + sy] - oy) * iy, by1 = (nodes[o + 10 - sy] - oy) * iy; // prettier-ignore
        const bz0 = (nodes[o + 8 + sz] - oz) * iz, bz1 = (nodes[o + 11 - sz] - oz) * iz; // prettier-ignore
        if (bx0 > bn) bn = bx0;
        if (by0 > bn) bn = by0;
        if (bz0 > bn) bn = bz0;
        if (bx1 < bf) bf = bx1;
        if (by1 < bf) bf = by1;
        if (bz1 < bf) bf = bz1;
        const hitA = an <= af + slack && an <= hi + slack && af >= lo - slack;
        const hitB = bn <= bf + slack && bn <= hi + slack && bf >= lo - slack;
        if (hitA && hitB) {
          const da = an > tNear ? an - tNear : af < tNear ? tNear - af : 0;
          const db = bn > tNear ? bn - tNear : bf < tNear ? tNear - bf : 0;
          if (da <= db) {
            stack[depth] = refs[o + 13];
            stackDistance[depth++] = db;
            ref = refs[o + 12];
          } else {
            stack[depth] = refs[o + 12];
            stackDistance[depth++] = da;
            ref = refs[o + 13];
          }
          continue;
        }
        if (hitA) {
          ref = refs[o + 12];
          continue;
        }
        if (hitB) {
          ref = refs[o + 13];
          continue;
        }
      }
      do {
        if (depth === 0) return this.slot !== NO_HIT;
        ref = stack[--depth];
      } while (stackDistance[depth] > best);
    }
  }

  private testTriangle(
    i: number,
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    lo: number,
    hi: number,
    tNear: number,
    best: number,
    along: boolean,
  ): boolean {
    const { verts } = this.bvh;
    const o = 9 * i;
    // corners relative to the origin; edge functions as scalar triple products, equal and opposite on a shared edge
    const ax = verts[o] - ox, ay = verts[o + 1] - oy, az = verts[o + 2] - oz; // prettier-ignore
    const bx = verts[o + 3] - ox, by = verts[o + 4] - oy, bz = verts[o + 5] - oz; // prettier-ignore
    const cx = verts[o + 6] - ox, cy = verts[o + 7] - oy, cz = verts[o + 8] - oz; // prettier-ignore
    const wa = dx * (cy * bz - cz * by) + dy * (cz * bx - cx * bz) + dz * (cx * by - cy * bx);
    const wb = dx * (ay * cz - az * cy) + dy * (az * cx - ax * cz) + dz * (ax * cy - ay * cx);
    const wc = dx * (by * az - bz * ay) + dy * (bz * ax - bx * az) + dz * (bx * ay - by * ax);
    if ((wa < 0 || wb < 0 || wc < 0) && (wa > 0 || wb > 0 || wc > 0)) return false;
    const det = wa + wb + wc;
    if (det === 0) return false;
    // wa + wb + wc = -(normal . direction) for the corner order used here
    if (along && det > 0) return false;
    const t =
      (wa * (ax * dx + ay * dy + az * dz) + wb * (bx * dx + by * dy + bz * dz) + wc * (cx * dx + cy * dy + cz * dz)) /
      (det * (dx * dx + dy * dy + dz * dz));
    if (t < lo || t > hi) return false;
    const distance = t > tNear ? t - tNear : tNear - t;
    if (distance >= best) return false;
    const e1x = bx - ax, e1y = by - ay, e1z = bz - az, e2x = cx - ax, e2y = cy - ay, e2z = cz - az; // prettier-ignore
    const nx = e1y * e2z - e1z * e2y, ny = e1z * e2x - e1x * e2z, nz = e1x * e2y - e1y * e2x; // prettier-ignore
    this.slot = i;
    this.t = t;
    this.u = wb / det;
    this.v = wc / det;
    this.cosine = (nx * dx + ny * dy + nz * dz) / Math.sqrt((nx * nx + ny * ny + nz * nz) * (dx * dx + dy * dy + dz * dz));
    return true;
  }
}
