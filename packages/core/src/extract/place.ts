import type { DerivativeFrameAt } from '../frames/derivative-frames';
import type { UvTriangles } from '../uv/rasterise';

/** The base surface as threads read it. */
export interface BaseArrays {
  readonly positions: Float32Array; // 3 P
  readonly normals: Float32Array; // 3 P
  /** Same-parameter points of the sculpt, 3 P; null for a free sculpt. */
  readonly match: Float32Array | null;
  readonly verts: Uint32Array; // 3 T, points of the base's triangles
  readonly lowFaces: Uint32Array; // T, the light mesh's face under each triangle
}

/** A place on the base: its point and unit normal. One object a thread; it holds its last answer. */
export class Place {
  px = 0;
  py = 0;
  pz = 0;
  nx = 0;
  ny = 0;
  nz = 0;
  /** The sculpt's same-parameter point; not set for a free sculpt. */
  mx = 0;
  my = 0;
  mz = 0;
  /** Height over the place of the sculpt's same-parameter point; 0 for a free sculpt. */
  near = 0;
  /** Length on the surface that one texel spans. */
  texelSize = 0;
  /** Triangle last set; -1 before there is one. */
  triangle = -1;
  private u0 = 0;
  private v0 = 0;
  private e1u = 0;
  private e1v = 0;
  private e2u = 0;
  private e2v = 0;
  private det = 1;
  /** Where its three points begin among the base's, and their weights. */
  private a = 0;
  private b = 0;
  private c = 0;
  private wa = 0;
  private wb = 0;
  private wc = 0;

  constructor(
    private readonly base: BaseArrays,
    private readonly uv: UvTriangles,
    private readonly width: number,
    private readonly height: number,
  ) {}

  /** @param u, v relative to the tile, v up. @returns false where the base has no normal */
  set(tri: number, u: number, v: number): boolean {
    if (tri !== this.triangle) this.enter(tri);
    const pu = u - this.u0;
    const pv = v - this.v0;
    const wb = (pu * this.e2v - pv * this.e2u) / this.det;
    const wc = (this.e1u * pv - this.e1v * pu) / this.det;
    this.wa = 1 - wb - wc;
    this.wb = wb;
    this.wc = wc;
    return this.blend();
  }

  /** The place on the edge from corner `i` to corner `j` of a triangle. @returns false where the base has no normal */
  onEdge(tri: number, i: number, j: number, t: number): boolean {
    const weight = (k: number): number => (k === i ? 1 - t : k === j ? t : 0);
    this.goTo(tri);
    this.wa = weight(0);
    this.wb = weight(1);
    this.wc = weight(2);
    return this.blend();
  }

  /** Neighbouring texels mostly lie in one triangle: what depends on it alone is worked out once. */
  private enter(tri: number): void {
    const { uv } = this;
    this.goTo(tri);
    const ua = 2 * uv.corners[3 * tri], ub = 2 * uv.corners[3 * tri + 1], uc = 2 * uv.corners[3 * tri + 2]; // prettier-ignore
    this.u0 = uv.uvs[ua] - uv.origin[0];
    this.v0 = uv.uvs[ua + 1] - uv.origin[1];
    this.e1u = uv.uvs[ub] - uv.uvs[ua];
    this.e1v = uv.uvs[ub + 1] - uv.uvs[ua + 1];
    this.e2u = uv.uvs[uc] - uv.uvs[ua];
    this.e2v = uv.uvs[uc + 1] - uv.uvs[ua + 1];
    this.det = this.e1u * this.e2v - this.e1v * this.e2u;
    this.texelSize = Math.sqrt(this.doubleArea(tri) / Math.abs(this.det * this.width * this.height));
  }

  private goTo(tri: number): void {
    const { verts } = this.base;
    this.triangle = tri;
    this.a = 3 * verts[3 * tri];
    this.b = 3 * verts[3 * tri + 1];
    this.c = 3 * verts[3 * tri + 2];
  }

  /** The place between the three points of the base at a, b and c. Its weights stand in fields: numbers of a call are made anew each time.
   *  @returns false where the base has no normal */
  private blend(): boolean {
    const { positions: p, normals: n, match } = this.base;
    const { a, b, c, wa, wb, wc } = this;
    this.px = wa * p[a] + wb * p[b] + wc * p[c];
    this.py = wa * p[a + 1] + wb * p[b + 1] + wc * p[c + 1];
    this.pz = wa * p[a + 2] + wb * p[b + 2] + wc * p[c + 2];
    const nx = wa * n[a] + wb * n[b] + wc * n[c];
    const ny = wa * n[a + 1] + wb * n[b + 1] + wc * n[c + 1];
    const nz = wa * n[a + 2] + wb * n[b + 2] + wc * n[c + 2];
    const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
    if (length === 0) return false;
    this.nx = nx / length;
    this.ny = ny / length;
    this.nz = nz / length;
    if (match === null) {
      this.near = 0;
      return true;
    }
    this.mx = wa * match[a] + wb * match[b] + wc * match[c];
    this.my = wa * match[a + 1] + wb * match[b + 1] + wc * match[c + 1];
    this.mz = wa * match[a + 2] + wb * match[b + 2] + wc * match[c + 2];
    this.near = (this.mx - this.px) * this.nx + (this.my - this.py) * this.ny + (this.mz - this.pz) * this.nz;
    return true;
  }

  /** A value a point of the base, blended. Writes out[0..width - 1]. */
  read(out: Float64Array, values: Float32Array, width: number): void {
    const { wa, wb, wc } = this;
    const a = (this.a / 3) * width, b = (this.b / 3) * width, c = (this.c / 3) * width; // prettier-ignore
    for (let k = 0; k < width; k++) out[k] = wa * values[a + k] + wb * values[b + k] + wc * values[c + k];
  }

  /** The base's frame between the corners of the triangle last set, by its derivatives. */
  frameInto(frame: DerivativeFrameAt): void {
    const { triangle: t } = this;
    frame.set(3 * t, 3 * t + 1, 3 * t + 2, this.wa, this.wb, this.wc, this.nx, this.ny, this.nz);
  }

  /** |e1 x e2| of a base triangle; with the UV determinant this gives |dP/du x dP/dv|. */
  private doubleArea(tri: number): number {
    const { positions: p, verts } = this.base;
    const a = 3 * verts[3 * tri], b = 3 * verts[3 * tri + 1], c = 3 * verts[3 * tri + 2]; // prettier-ignore
    const x1 = p[b] - p[a], y1 = p[b + 1] - p[a + 1], z1 = p[b + 2] - p[a + 2]; // prettier-ignore
    const x2 = p[c] - p[a], y2 = p[c + 1] - p[a + 1], z2 = p[c + 2] - p[a + 2]; // prettier-ignore
    return Math.sqrt((y1 * z2 - z1 * y2) ** 2 + (z1 * x2 - x1 * z2) ** 2 + (x1 * y2 - y1 * x2) ** 2);
  }
}
