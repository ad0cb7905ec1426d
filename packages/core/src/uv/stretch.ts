import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import { triangulate } from '../mesh/triangulate';

/** What each face's way from UV space to the surface does to lengths. */
export interface FaceStretch {
  readonly surface: Float64Array; // F, area in square units
  readonly uv: Float64Array; // F, signed area: below 0 where mirrored
  /** F: mean of the squared singular values over the face's area, in square units for each UV unit; 0 without UV area. */
  readonly squared: Float64Array;
  /** F: how many times as long a texel is on the surface in one direction as in the other; Infinity without UV area. */
  readonly ratio: Float64Array;
}

/** Singular values of the map from UV to surface, triangle by triangle (Sander, Snyder, Gortler, Hoppe 2001). @throws InvalidInputError NO_UVS */
export function faceStretch(mesh: PolyMesh): FaceStretch {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { positions: p, faceVerts } = mesh;
  const F = faceCount(mesh);
  const [surface, uv, squared] = [new Float64Array(F), new Float64Array(F), new Float64Array(F)];
  const ratio = new Float64Array(F).fill(1);
  const { corners, faces } = triangulate(mesh);
  const [e1, e2] = [new Float64Array(3), new Float64Array(3)];
  for (let t = 0; t < faces.length; t++) {
    const f = faces[t];
    const [i, j, k] = [corners[3 * t], corners[3 * t + 1], corners[3 * t + 2]];
    const [a, b, c] = [3 * faceVerts[i], 3 * faceVerts[j], 3 * faceVerts[k]];
    const [s, u, w] = [2 * faceUvs[i], 2 * faceUvs[j], 2 * faceUvs[k]];
    const [u1, v1, u2, v2] = [uvs[u] - uvs[s], uvs[u + 1] - uvs[s + 1], uvs[w] - uvs[s], uvs[w + 1] - uvs[s + 1]];
    const twice = u1 * v2 - u2 * v1;
    let ss = 0, st = 0, tt = 0; // prettier-ignore
    for (let n = 0; n < 3; n++) {
      e1[n] = p[b + n] - p[a + n];
      e2[n] = p[c + n] - p[a + n];
    }
    const area = Math.hypot(e1[1] * e2[2] - e1[2] * e2[1], e1[2] * e2[0] - e1[0] * e2[2], e1[0] * e2[1] - e1[1] * e2[0]) / 2;
    surface[f] += area;
    uv[f] += twice / 2;
    if (twice === 0) {
      if (area > 0) ratio[f] = Infinity;
      continue;
    }
    for (let n = 0; n < 3; n++) {
      const ds = (v2 * e1[n] - v1 * e2[n]) / twice;
      const dt = (u1 * e2[n] - u2 * e1[n]) / twice;
      ss += ds * ds;
      st += ds * dt;
      tt += dt * dt;
    }
    // eigenvalues of the metric are the squared singular values
    const half = Math.sqrt(((ss - tt) / 2) ** 2 + st * st);
    const [large, small] = [(ss + tt) / 2 + half, Math.max(0, (ss + tt) / 2 - half)];
    squared[f] += (area * (large + small)) / 2;
    ratio[f] = Math.max(ratio[f], small > 0 ? Math.sqrt(large / small) : Infinity);
  }
  for (let f = 0; f < F; f++) squared[f] = surface[f] > 0 ? squared[f] / surface[f] : 0;
  return { surface, uv, squared, ratio };
}

/** Stretch of a whole mesh, RMS by surface area, scaled so that total areas agree: 1 is best. Faces without UV area are left out. */
export function stretchRms({ surface, uv, squared }: FaceStretch): number {
  let areas = 0;
  let uvAreas = 0;
  let sum = 0;
  for (let f = 0; f < surface.length; f++) {
    if (uv[f] === 0) continue;
    areas += surface[f];
    uvAreas += Math.abs(uv[f]);
    sum += surface[f] * squared[f];
  }
  return areas === 0 ? NaN : Math.sqrt((sum / areas) * (uvAreas / areas));
}
