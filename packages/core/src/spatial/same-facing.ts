import { boundsOf } from '../mesh/bounds';
import { InvalidInputError } from '../runtime/errors';
import type { Bvh } from './bvh';
import { ClosestQuery } from './closest';

/** Places that are looked at: what is asked is which way nearly all of a surface faces. */
const SAMPLES = 2000;
/** Above this share that face against each other one of the two is inside out; sheets of two sides stay at about a half. */
const NEARLY_ALL = 0.9;
/** Share of a surface's area that must be left of its area vectors, or of its volume, for it to face one way as a whole. */
const ONE_WAY = 0.2;

interface Facing {
  readonly positions: Float32Array; // 3 P
  readonly normals: Float32Array; // 3 P, of any length
}

/** Refuses a sculpt that is turned inside out against its light mesh, where rays would find nothing and normals would point the wrong way.
 *  @param tree of the sculpt  @throws InvalidInputError INSIDE_OUT */
export function requireSameFacing({ positions: p, normals: n }: Facing, tree: Bvh): void {
  const query = new ClosestQuery(tree);
  const c = tree.verts; // corners in leaf order
  const step = Math.max(1, Math.floor(p.length / 3 / SAMPLES));
  let looked = 0;
  let against = 0;
  for (let i = 0; i < p.length; i += 3 * step) {
    if (!query.find(p[i], p[i + 1], p[i + 2])) continue;
    const o = 9 * query.slot;
    const x1 = c[o + 3] - c[o], y1 = c[o + 4] - c[o + 1], z1 = c[o + 5] - c[o + 2]; // prettier-ignore
    const x2 = c[o + 6] - c[o], y2 = c[o + 7] - c[o + 1], z2 = c[o + 8] - c[o + 2]; // prettier-ignore
    const along = (y1 * z2 - z1 * y2) * n[i] + (z1 * x2 - x1 * z2) * n[i + 1] + (x1 * y2 - y1 * x2) * n[i + 2];
    looked++;
    if (along < 0) against++;
  }
  // the nearest part of a folded sculpt may be the underside of a fold
  if (looked > 0 && against / looked > NEARLY_ALL && !facesAlikeAsAWhole({ positions: p, normals: n }, c))
    throw new InvalidInputError(
      'INSIDE_OUT',
      `The sculpt faces the other way than the light mesh at ${Math.round((100 * against) / looked)} % of the places looked at: the faces of one of the two are turned inside out. Turn all of its faces round and bring it in again.`,
    );
}

/** Whether two surfaces face the same way by all of their area: along the sum of their area vectors where they are open, outwards or inwards by
 *  their volume where that sum is nothing (divergence theorem). @param c corners of triangles, 9 each */
function facesAlikeAsAWhole({ positions: p, normals: n }: Facing, c: ArrayLike<number>): boolean {
  const box = boundsOf(p);
  const centre = [0, 1, 2].map((k) => (box[k] + box[k + 3]) / 2);
  const low = new WholeFacing(centre);
  for (let i = 0; i < p.length; i += 3) low.add(p[i], p[i + 1], p[i + 2], n[i], n[i + 1], n[i + 2]);
  const fine = new WholeFacing(centre);
  for (let o = 0; o + 8 < c.length; o += 9) {
    const x1 = c[o + 3] - c[o], y1 = c[o + 4] - c[o + 1], z1 = c[o + 5] - c[o + 2]; // prettier-ignore
    const x2 = c[o + 6] - c[o], y2 = c[o + 7] - c[o + 1], z2 = c[o + 8] - c[o + 2]; // prettier-ignore
    fine.add(c[o], c[o + 1], c[o + 2], y1 * z2 - z1 * y2, z1 * x2 - x1 * z2, x1 * y2 - y1 * x2);
  }
  if (low.isOpen && fine.isOpen) return low.x * fine.x + low.y * fine.y + low.z * fine.z > 0;
  return low.outwards * fine.outwards > ONE_WAY ** 2;
}

/** Sums of area vectors. */
class WholeFacing {
  x = 0;
  y = 0;
  z = 0;
  private area = 0;
  private flux = 0;
  private spread = 0;

  constructor(private readonly centre: readonly number[]) {}

  /** @param x, y, z a place, with an area vector there */
  add(x: number, y: number, z: number, nx: number, ny: number, nz: number): void {
    const [dx, dy, dz] = [x - this.centre[0], y - this.centre[1], z - this.centre[2]];
    const size = Math.hypot(nx, ny, nz);
    this.x += nx;
    this.y += ny;
    this.z += nz;
    this.area += size;
    this.flux += dx * nx + dy * ny + dz * nz;
    this.spread += Math.hypot(dx, dy, dz) * size;
  }
  get isOpen(): boolean {
    return Math.hypot(this.x, this.y, this.z) > ONE_WAY * this.area;
  }
  /** From -1, all inwards, to 1. */
  get outwards(): number {
    return this.spread > 0 ? this.flux / this.spread : 0;
  }
}
