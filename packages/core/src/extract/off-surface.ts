import type { Bvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';

/** How far rays start off the sculpt, as a share of its extent. */
const LIFT_SHARE = 1e-4;
export const liftOf = (extent: number): number => LIFT_SHARE * extent;

/** Where a ray that looks around from the sculpt starts: on its triangles, which points of equal parameters may miss by a hair, then off them
 *  along their own normal. One object a thread; it holds its last answer. */
export class OffSurface {
  x = 0;
  y = 0;
  z = 0;
  private readonly closest: ClosestQuery;

  constructor(
    private readonly tree: Bvh,
    /** Scene units. */
    private readonly liftUnits: number,
  ) {
    this.closest = new ClosestQuery(tree);
  }

  /** @param q point of the sculpt @param n its unit shading normal @returns false where there is no triangle */
  find(q: Float64Array, n: Float64Array): boolean {
    const { closest, liftUnits } = this;
    if (!closest.find(q[0], q[1], q[2])) return false;
    const { verts: p } = this.tree;
    const o = 9 * closest.slot;
    const ux = p[o + 3] - p[o], uy = p[o + 4] - p[o + 1], uz = p[o + 5] - p[o + 2]; // prettier-ignore
    const wx = p[o + 6] - p[o], wy = p[o + 7] - p[o + 1], wz = p[o + 8] - p[o + 2]; // prettier-ignore
    let gx = uy * wz - uz * wy, gy = uz * wx - ux * wz, gz = ux * wy - uy * wx; // prettier-ignore
    const length = Math.sqrt(gx * gx + gy * gy + gz * gz);
    // a sliver has no normal of its own, and a triangle that turns away from the shading normal is a fold
    const turn = gx * n[0] + gy * n[1] + gz * n[2];
    if (!(length > 0) || turn <= 0) [gx, gy, gz] = [n[0], n[1], n[2]];
    else {
      gx /= length;
      gy /= length;
      gz /= length;
    }
    this.x = closest.x + liftUnits * gx;
    this.y = closest.y + liftUnits * gy;
    this.z = closest.z + liftUnits * gz;
    return true;
  }
}
