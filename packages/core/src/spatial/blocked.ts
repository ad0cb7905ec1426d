import type { Bvh } from './bvh';
import { binaryOf, boxSlack } from './bvh';
import { BOX_B, isLeaf, leafFirst, leafLast, NODE_WORDS, REF_A, REF_B } from './tree-node';
import type { RaySearcher } from './wide-tree';
import { RAY_MODES, searcherOf } from './wide-tree';

/** Whether anything stands in a ray's way. One object a thread: it owns the traversal stack.
 *
 *  The triangle test is `LineQuery`'s, written out again: any hit ends the search here, so there is no nearest one to keep, and a shared
 *  function would put a call with a dozen numbers into the innermost loop. */
export class BlockQuery {
  private readonly stack = new Int32Array(256);

  private readonly searcher: RaySearcher | null;
  private readonly slackUnits: number;

  constructor(private readonly bvh: Bvh) {
    this.searcher = bvh.wide === null ? null : searcherOf(bvh.wide);
    this.slackUnits = boxSlack(bvh);
  }

  /** @param d direction, need not be unit @returns whether a triangle, from either side, is met at t in (0, tMax] */
  blocked(ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, tMax: number): boolean {
    if (this.searcher && this.bvh.wide) {
      const { kernel, scratch, nodesAt } = this.searcher;
      const { largest } = this.bvh;
      const { vertsAt } = this.bvh.wide;
      return kernel.nearest(scratch, nodesAt, vertsAt, largest, ox, oy, oz, dx, dy, dz, 0, Number.MIN_VALUE, tMax, RAY_MODES.first, 1) >= 0;
    }
    const { verts } = this.bvh;
    const { nodes, refs } = binaryOf(this.bvh);
    const { stack } = this;
    const length2 = dx * dx + dy * dy + dz * dz;
    // huge instead of infinite for a zero component, so that no product is NaN
    const ix = dx === 0 ? 1e30 : 1 / dx;
    const iy = dy === 0 ? 1e30 : 1 / dy;
    const iz = dz === 0 ? 1e30 : 1 / dz;
    // boxes a little too wide, as in LineQuery
    const ex = dx < 0 ? -this.slackUnits : this.slackUnits;
    const ey = dy < 0 ? -this.slackUnits : this.slackUnits;
    const ez = dz < 0 ? -this.slackUnits : this.slackUnits;
    const nx = ox + ex, ny = oy + ey, nz = oz + ez, fx = ox - ex, fy = oy - ey, fz = oz - ez; // prettier-ignore
    const sx = dx < 0 ? 3 : 0, sy = dy < 0 ? 3 : 0, sz = dz < 0 ? 3 : 0; // prettier-ignore
    let depth = 0;
    let ref = 0;
    for (;;) {
      if (isLeaf(ref)) {
        const first = leafFirst(ref);
        const end = 9 * leafLast(ref);
        for (let o = 9 * first; o <= end; o += 9) {
          const ax = verts[o] - ox, ay = verts[o + 1] - oy, az = verts[o + 2] - oz; // prettier-ignore
          const bx = verts[o + 3] - ox, by = verts[o + 4] - oy, bz = verts[o + 5] - oz; // prettier-ignore
          const cx = verts[o + 6] - ox, cy = verts[o + 7] - oy, cz = verts[o + 8] - oz; // prettier-ignore
          const wa = dx * (cy * bz - cz * by) + dy * (cz * bx - cx * bz) + dz * (cx * by - cy * bx);
          const wb = dx * (ay * cz - az * cy) + dy * (az * cx - ax * cz) + dz * (ax * cy - ay * cx);
          if ((wa < 0 && wb > 0) || (wa > 0 && wb < 0)) continue;
          const wc = dx * (by * az - bz * ay) + dy * (bz * ax - bx * az) + dz * (bx * ay - by * ax);
          if ((wc < 0 && (wa > 0 || wb > 0)) || (wc > 0 && (wa < 0 || wb < 0))) continue;
          const det = wa + wb + wc;
          if (det === 0) continue;
          const t =
            (wa * (ax * dx + ay * dy + az * dz) + wb * (bx * dx + by * dy + bz * dz) + wc * (cx * dx + cy * dy + cz * dz)) /
            (det * length2);
          if (t > 0 && t <= tMax) return true;
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
        const hitA = an <= af && an <= tMax && af >= 0;
        const hitB = bn <= bf && bn <= tMax && bf >= 0;
        if (hitA && hitB) {
          // the nearer child first: something close is met sooner
          const nearA = an <= bn;
          stack[depth++] = nearA ? refs[o + REF_B] : refs[o + REF_A];
          ref = nearA ? refs[o + REF_A] : refs[o + REF_B];
          continue;
        }
        if (hitA || hitB) {
          ref = hitA ? refs[o + REF_A] : refs[o + REF_B];
          continue;
        }
      }
      if (depth === 0) return false;
      ref = stack[--depth];
    }
  }
}
