import type { Bvh } from '../spatial/bvh';
import { LineQuery } from '../spatial/ray';
import { OffSurface } from './off-surface';

/** How far it is through the sculpt from a point of it: against its normal to the first side that faces along the ray. Layers that face against
 *  it are passed: the ray starts off the surface, and what lies inside of another piece is not its other side. One object a thread. */
export class ThicknessAt {
  private readonly line: LineQuery;
  private readonly off: OffSurface;

  constructor(
    tree: Bvh,
    /** Scene units: what is thicker, or has no other side, counts as `distance`. */
    private readonly options: { readonly distance: number; readonly liftUnits: number },
  ) {
    this.line = new LineQuery(tree);
    this.off = new OffSurface(tree, options.liftUnits);
  }

  /** @param q point of the sculpt @param n its unit shading normal @returns scene units, 0 to `distance` */
  through(q: Float64Array, n: Float64Array): number {
    const { distance, liftUnits } = this.options;
    const { off, line } = this;
    if (!off.find(q, n)) return distance;
    if (!line.nearest(off.x, off.y, off.z, -n[0], -n[1], -n[2], 0, 0, distance + liftUnits, 'along')) return distance;
    return Math.max(0, line.t - liftUnits);
  }
}
