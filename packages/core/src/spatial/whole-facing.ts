import { boundsOf } from '../mesh/bounds';

/** A surface by its points. */
export interface Facing {
  readonly positions: Float32Array; // 3 P
  readonly normals: Float32Array; // 3 P, of any length
}

/** Share of a surface's area that must be left of its area vectors, or of its volume, for it to face one way as a whole. */
const ONE_WAY = 0.2;

/** Whether two surfaces face the same way by all of their area: along the sum of their area vectors where they are open, outwards or inwards by
 *  their volume where that sum is nothing (divergence theorem). @param c corners of triangles, 9 each */
export function facesAlikeAsAWhole({ positions: p, normals: n }: Facing, c: ArrayLike<number>): boolean {
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
