import type { Bvh } from './bvh';
import { binaryOf, boxSlack } from './bvh';
import { BOX_B, isLeaf, leafFirst, leafLast, NODE_WORDS, REF_A, REF_B } from './tree-node';
import type { RaySearcher } from './wide-tree';
import { RAY_MODES, searcherOf } from './wide-tree';

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

  private readonly slackUnits: number;

  private readonly searcher: RaySearcher | null;

  constructor(private readonly bvh: Bvh) {
    this.searcher = bvh.wide === null ? null : searcherOf(bvh.wide);
    this.slackUnits = boxSlack(bvh);
  }

  /** Caller's triangle index of the last answer. */
  get triangle(): number {
    return this.slot === NO_HIT ? NO_HIT : this.bvh.triangles[this.slot];
  }

  /** Hit with t in [tMin, tMax] nearest to `tNear`, of equal ones the first in leaf order; false when there is none. The direction need not be unit. */
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
    if (this.searcher && this.bvh.wide) {
      const { kernel, scratch, nodesAt, answer } = this.searcher;
      const { largest } = this.bvh;
      const { vertsAt } = this.bvh.wide;
      const slot = kernel.nearest(scratch, nodesAt, vertsAt, largest, ox, oy, oz, dx, dy, dz, tNear, tMin, tMax, RAY_MODES[facing], 1);
      if (slot >= 0) {
        this.t = answer[0];
        this.u = answer[1] / answer[3];
        this.v = answer[2] / answer[3];
      }
      return this.finish(slot < 0 ? -1 : 9 * slot, dx, dy, dz);
    }
    const { verts } = this.bvh;
    const { nodes, refs } = binaryOf(this.bvh);
    const { stack, stackDistance } = this;
    const along = facing === 'along';
    const length2 = dx * dx + dy * dy + dz * dz;
    // Huge instead of infinite for a zero component, so that no product is NaN.
    const ix = dx === 0 ? 1e30 : 1 / dx;
    const iy = dy === 0 ? 1e30 : 1 / dy;
    const iz = dz === 0 ? 1e30 : 1 / dz;
    // Boxes are widened by far less than a triangle so that rounding cannot lose an edge, and an origin on a box's face is inside it:
    // near faces are met from an origin moved one way, far faces from one moved the other.
    const ex = dx < 0 ? -this.slackUnits : this.slackUnits;
    const ey = dy < 0 ? -this.slackUnits : this.slackUnits;
    const ez = dz < 0 ? -this.slackUnits : this.slackUnits;
    const nx = ox + ex, ny = oy + ey, nz = oz + ez, fx = ox - ex, fy = oy - ey, fz = oz - ez; // prettier-ignore
    const sx = dx < 0 ? 3 : 0, sy = dy < 0 ? 3 : 0, sz = dz < 0 ? 3 : 0; // prettier-ignore
    let bestOffset = -1;
    let lo = tMin;
    let hi = tMax;
    let best = Infinity;
    let depth = 0;
    let ref = 0;
    for (;;) {
      if (isLeaf(ref)) {
        const first = leafFirst(ref);
        const end = 9 * leafLast(ref);
        for (let o = 9 * first; o <= end; o += 9) {
          // corners relative to the origin; edge functions as scalar triple products, equal and opposite on a shared edge
          const ax = verts[o] - ox, ay = verts[o + 1] - oy, az = verts[o + 2] - oz; // prettier-ignore
          const bx = verts[o + 3] - ox, by = verts[o + 4] - oy, bz = verts[o + 5] - oz; // prettier-ignore
          const cx = verts[o + 6] - ox, cy = verts[o + 7] - oy, cz = verts[o + 8] - oz; // prettier-ignore
          const wa = dx * (cy * bz - cz * by) + dy * (cz * bx - cx * bz) + dz * (cx * by - cy * bx);
          const wb = dx * (ay * cz - az * cy) + dy * (az * cx - ax * cz) + dz * (ax * cy - ay * cx);
          if ((wa < 0 && wb > 0) || (wa > 0 && wb < 0)) continue;
          const wc = dx * (by * az - bz * ay) + dy * (bz * ax - bx * az) + dz * (bx * ay - by * ax);
          if ((wc < 0 && (wa > 0 || wb > 0)) || (wc > 0 && (wa < 0 || wb < 0))) continue;
          // det = -(normal . direction) for the corner order used here
          const det = wa + wb + wc;
          if (det === 0 || (along && det > 0)) continue;
          const t =
            (wa * (ax * dx + ay * dy + az * dz) + wb * (bx * dx + by * dy + bz * dz) + wc * (cx * dx + cy * dy + cz * dz)) /
            (det * length2);
          if (t < lo || t > hi) continue;
          const distance = t > tNear ? t - tNear : tNear - t;
          if (distance > best || (distance === best && o > bestOffset)) continue;
          best = distance;
          bestOffset = o;
          this.t = t;
          this.u = wb / det;
          this.v = wc / det;
          if (tNear - best > lo) lo = tNear - best;
          if (tNear + best < hi) hi = tNear + best;
        }
      } else {
        const o = ref * NODE_WORDS;
        const an = Math.max((nodes[o + sx] - nx) * ix, (nodes[o + 1 + sy] - ny) * iy, (nodes[o + 2 + sz] - nz) * iz);
        const af = Math.min((nodes[o + 3 - sx] - fx) * ix, (nodes[o + 4 - sy] - fy) * iy, (nodes[o + 5 - sz] - fz) * iz);
        const bn = Math.max(
          (nodes[o + BOX_B + sx] - nx) * ix,
          (nodes[o + BOX_B + 1 + sy] - ny) * iy,
          (nodes[o + BOX_B + 2 + sz] - nz) * iz,
        );
        const bf = Math.min(
          (nodes[o + BOX_B + 3 - sx] - fx) * ix,
          (nodes[o + BOX_B + 4 - sy] - fy) * iy,
          (nodes[o + BOX_B + 5 - sz] - fz) * iz,
        );
        const hitA = an <= af && an <= hi && af >= lo;
        const hitB = bn <= bf && bn <= hi && bf >= lo;
        if (hitA && hitB) {
          const da = an > tNear ? an - tNear : af < tNear ? tNear - af : 0;
          const db = bn > tNear ? bn - tNear : bf < tNear ? tNear - bf : 0;
          if (da <= db) {
            stack[depth] = refs[o + REF_B];
            stackDistance[depth++] = db;
            ref = refs[o + REF_A];
          } else {
            stack[depth] = refs[o + REF_A];
            stackDistance[depth++] = da;
            ref = refs[o + REF_B];
          }
          continue;
        }
        if (hitA) {
          ref = refs[o + REF_A];
          continue;
        }
        if (hitB) {
          ref = refs[o + REF_B];
          continue;
        }
      }
      do {
        if (depth === 0) return this.finish(bestOffset, dx, dy, dz);
        ref = stack[--depth];
      } while (stackDistance[depth] > best);
    }
  }

  /** Slot and cosine of the answer, once a search is over. */
  private finish(offset: number, dx: number, dy: number, dz: number): boolean {
    this.slot = offset < 0 ? NO_HIT : offset / 9;
    if (offset < 0) return false;
    const { verts: p } = this.bvh;
    const e1x = p[offset + 3] - p[offset], e1y = p[offset + 4] - p[offset + 1], e1z = p[offset + 5] - p[offset + 2]; // prettier-ignore
    const e2x = p[offset + 6] - p[offset], e2y = p[offset + 7] - p[offset + 1], e2z = p[offset + 8] - p[offset + 2]; // prettier-ignore
    const nx = e1y * e2z - e1z * e2y, ny = e1z * e2x - e1x * e2z, nz = e1x * e2y - e1y * e2x; // prettier-ignore
    this.cosine = (nx * dx + ny * dy + nz * dz) / Math.sqrt((nx * nx + ny * ny + nz * nz) * (dx * dx + dy * dy + dz * dz));
    return true;
  }
}
