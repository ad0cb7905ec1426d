import { buildEdges } from './topology';
import type { PolyMesh } from './poly-mesh';
import { pointCount } from './poly-mesh';
import { surfaceVerts } from './triangulate';

/** What each point of a surface carries of its area and of its mean curvature. */
export interface CurvatureMeasure {
  /** Mean curvature (k1 + k2) / 2 integrated over the point's share, float64[P], scene units; positive where convex. */
  readonly curvature: Float64Array;
  /** A third of the incident area, float64[P], square units. */
  readonly area: Float64Array;
}

/** The mean curvature measure of a triangulated surface: an edge of length l that bends by the signed angle b carries l b / 2
 *  (Cohen-Steiner and Morvan, Restricted Delaunay triangulations and normal cycle, 2003). Half of it goes to each end. It depends on the
 *  shape only, not on how it is meshed, and sums up exactly; divide sums over a region to get its mean. Open borders carry none, nor do edges whose faces face opposite
 *  ways: a bend has no sign there. */
export function curvatureMeasure(mesh: PolyMesh): CurvatureMeasure {
  const { positions: p } = mesh;
  const P = pointCount(mesh);
  const verts = surfaceVerts(mesh);
  const T = verts.length / 3;
  const normals = new Float64Array(3 * T);
  const area = new Float64Array(P);
  for (let t = 0; t < T; t++) {
    const a = 3 * verts[3 * t], b = 3 * verts[3 * t + 1], c = 3 * verts[3 * t + 2]; // prettier-ignore
    const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
    const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
    const nx = uy * wz - uz * wy, ny = uz * wx - ux * wz, nz = ux * wy - uy * wx; // prettier-ignore
    const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
    for (let k = 0; k < 3; k++) area[verts[3 * t + k]] += length / 6;
    if (length === 0) continue;
    normals[3 * t] = nx / length;
    normals[3 * t + 1] = ny / length;
    normals[3 * t + 2] = nz / length;
  }
  const faceOffsets = Uint32Array.from({ length: T + 1 }, (_, t) => 3 * t);
  const { cornerEdges, edgeVerts, edgeFaceCounts } = buildEdges({ faceOffsets, faceVerts: verts, vertCount: P });
  const curvature = new Float64Array(P);
  const firstTriangle = new Int32Array(edgeFaceCounts.length).fill(-1);
  for (let i = 0; i < verts.length; i++) {
    const e = cornerEdges[i];
    if (edgeFaceCounts[e] !== 2) continue;
    if (firstTriangle[e] < 0) {
      firstTriangle[e] = Math.floor(i / 3);
      continue;
    }
    // the edge runs a -> b in the triangle that met it first
    const a = 3 * edgeVerts[2 * e];
    const b = 3 * edgeVerts[2 * e + 1];
    const m = 3 * firstTriangle[e];
    const n = 3 * Math.floor(i / 3);
    const ex = p[b] - p[a], ey = p[b + 1] - p[a + 1], ez = p[b + 2] - p[a + 2]; // prettier-ignore
    const length = Math.sqrt(ex * ex + ey * ey + ez * ez);
    if (length === 0) continue;
    const cx = normals[m + 1] * normals[n + 2] - normals[m + 2] * normals[n + 1];
    const cy = normals[m + 2] * normals[n] - normals[m] * normals[n + 2];
    const cz = normals[m] * normals[n + 1] - normals[m + 1] * normals[n];
    const cosine = normals[m] * normals[n] + normals[m + 1] * normals[n + 1] + normals[m + 2] * normals[n + 2];
    const quarter = Math.atan2((cx * ex + cy * ey + cz * ez) / length, cosine) * (length / 4);
    curvature[a / 3] += quarter;
    curvature[b / 3] += quarter;
  }
  return { curvature, area };
}
