import type { PolyMesh } from './poly-mesh';
import { pointCount } from './poly-mesh';
import { surfaceVerts } from './triangulate';

/** A third of the area of the triangles around each point, float64[P], square units. */
export function pointAreas(mesh: PolyMesh): Float64Array {
  const p = mesh.positions;
  const verts = surfaceVerts(mesh);
  const out = new Float64Array(pointCount(mesh));
  for (let t = 0; t < verts.length; t += 3) {
    const [a, b, c] = [3 * verts[t], 3 * verts[t + 1], 3 * verts[t + 2]];
    const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
    const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
    const third = Math.hypot(uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx) / 6;
    for (let k = 0; k < 3; k++) out[verts[t + k]] += third;
  }
  return out;
}
