import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import { splitsFromFirst } from '../mesh/triangulate';
import type { RefinedLevel } from './refine';

/** Share of a quad mesh's area in faces where the next level's points lie farther than `limit` from where the face's two triangles put their
 *  UVs: across the surface and along it.
 *  @param level the mesh's connectivity; `mesh` and `next` have the places and UVs that count, which may be those at the limit */
export function shareFarther(level: RefinedLevel, mesh: PolyMesh, next: PolyMesh, limit: number): number {
  const { positions: p, uvs: t, faceVerts, faceUvs } = mesh;
  const { positions: q, uvs: s } = next;
  const { edges, uvEdges } = level;
  if (t === null || s === null || faceUvs === null || uvEdges === null) return 0;
  const V = p.length / 3;
  const T = t.length / 2;
  const E = edges.edgeFaceCounts.length;
  const uvE = uvEdges.edgeFaceCounts.length;
  const off = new UvOffset(p, t, q, s);
  let all = 0;
  let far = 0;
  for (let f = 0; f < faceCount(mesh); f++) {
    const o = 4 * f;
    const first = splitsFromFirst(p, faceVerts[o], faceVerts[o + 1], faceVerts[o + 2], faceVerts[o + 3]) ? 0 : 1;
    let worst = 0;
    let area = 0;
    for (let half = 0; half < 2; half++) {
      // the triangle's corners; its edges are those from the first to the second and from the second to the third
      const from = first + 2 * half;
      const i = o + (from & 3), j = o + ((from + 1) & 3), k = o + ((from + 2) & 3); // prettier-ignore
      area += off.enter(faceVerts[i], faceVerts[j], faceVerts[k], faceUvs[i], faceUvs[j], faceUvs[k]);
      worst = Math.max(
        worst,
        off.at(0, 1, V + edges.cornerEdges[i], T + uvEdges.cornerEdges[i]),
        off.at(1, 2, V + edges.cornerEdges[j], T + uvEdges.cornerEdges[j]),
        off.at(0, 2, V + E + f, T + uvE + f),
      );
    }
    all += area;
    if (worst > limit) far += area;
  }
  return all === 0 ? 0 : far / all;
}

/** How far points of the next level lie from where a triangle has their UVs. */
class UvOffset {
  private readonly points = new Uint32Array(3);
  private readonly uvAt = new Uint32Array(3);
  private det = 0;

  constructor(
    private readonly p: Float32Array,
    private readonly t: Float32Array,
    private readonly q: Float32Array,
    private readonly s: Float32Array,
  ) {}

  /** @returns the triangle's area */
  enter(a: number, b: number, c: number, ua: number, ub: number, uc: number): number {
    const { points, uvAt } = this;
    points[0] = 3 * a;
    points[1] = 3 * b;
    points[2] = 3 * c;
    uvAt[0] = 2 * ua;
    uvAt[1] = 2 * ub;
    uvAt[2] = 2 * uc;
    const x1 = this.uv(1, 0), y1 = this.uv(1, 1), x2 = this.uv(2, 0), y2 = this.uv(2, 1); // prettier-ignore
    this.det = x1 * y2 - y1 * x2;
    // a triangle without area in UV space holds no texel
    if (Math.abs(this.det) <= 1e-12 * (x1 * x1 + y1 * y1 + x2 * x2 + y2 * y2)) this.det = 0;
    const ux = this.edge(1, 0), uy = this.edge(1, 1), uz = this.edge(1, 2); // prettier-ignore
    const vx = this.edge(2, 0), vy = this.edge(2, 1), vz = this.edge(2, 2); // prettier-ignore
    return Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / 2;
  }

  /** Distance of the next level's point, middle of corners i and j, from the place where the triangle's plane has its UV. */
  at(i: number, j: number, point: number, uv: number): number {
    const { p, t, q, s, points, uvAt, det } = this;
    if (det === 0) return 0;
    const du = s[2 * uv] - (t[uvAt[i]] + t[uvAt[j]]) / 2;
    const dv = s[2 * uv + 1] - (t[uvAt[i] + 1] + t[uvAt[j] + 1]) / 2;
    const b = (du * this.uv(2, 1) - dv * this.uv(2, 0)) / det;
    const c = (this.uv(1, 0) * dv - this.uv(1, 1) * du) / det;
    let sum = 0;
    for (let k = 0; k < 3; k++) {
      const origin = p[points[0] + k];
      const along = b * (p[points[1] + k] - origin) + c * (p[points[2] + k] - origin);
      sum += (q[3 * point + k] - (p[points[i] + k] + p[points[j] + k]) / 2 - along) ** 2;
    }
    return Math.sqrt(sum);
  }

  /** Component of the edge from the first corner to corner k. */
  private edge(k: number, component: number): number {
    return this.p[this.points[k] + component] - this.p[this.points[0] + component];
  }

  /** Component of the UV edge from the first corner to corner k. */
  private uv(k: number, component: number): number {
    return this.t[this.uvAt[k] + component] - this.t[this.uvAt[0] + component];
  }
}
