import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import { levelZero, refineOnce } from '../subdivision/refine';

/** What a level adds over the refined level below it: area-weighted RMS of |P_k - refine(P_k-1)|, scene units.
 *  Both meshes are levels of one stack in the stated point order. */
export function levelDetail(below: PolyMesh, given: PolyMesh): number {
  const level = withOriginOf(given, below);
  const smooth = refineOnce(levelZero({ ...below, uvs: null, faceUvs: null, colors: null })).mesh.positions;
  const p = level.positions;
  const verts = triangleVerts(level, triangulate(level));
  const weights = new Float64Array(p.length / 3);
  for (let t = 0; t < verts.length; t += 3) {
    const a = 3 * verts[t];
    const b = 3 * verts[t + 1];
    const c = 3 * verts[t + 2];
    const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
    const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
    const area = Math.hypot(uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx);
    for (let k = 0; k < 3; k++) weights[verts[t + k]] += area;
  }
  let sum = 0;
  let all = 0;
  for (let i = 0; i < weights.length; i++) {
    sum +=
      weights[i] * ((p[3 * i] - smooth[3 * i]) ** 2 + (p[3 * i + 1] - smooth[3 * i + 1]) ** 2 + (p[3 * i + 2] - smooth[3 * i + 2]) ** 2);
    all += weights[i];
  }
  return all === 0 ? 0 : Math.sqrt(sum / all);
}
