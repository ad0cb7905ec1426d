import type { PolyMesh } from './poly-mesh';

/** What normals are made from. */
export type Faces = Pick<PolyMesh, 'positions' | 'faceOffsets' | 'faceVerts'>;

/** A polygon's normal by Newell's sums: twice its area long. */
export function faceNormal({ positions: p, faceOffsets, faceVerts }: Faces, face: number): [number, number, number] {
  const o = faceOffsets[face];
  const n = faceOffsets[face + 1] - o;
  let nx = 0, ny = 0, nz = 0; // prettier-ignore
  for (let k = 0; k < n; k++) {
    const a = 3 * faceVerts[o + k];
    const b = 3 * faceVerts[o + (k + 1 === n ? 0 : k + 1)];
    nx += (p[a + 1] - p[b + 1]) * (p[a + 2] + p[b + 2]);
    ny += (p[a + 2] - p[b + 2]) * (p[a] + p[b]);
    nz += (p[a] - p[b]) * (p[a + 1] + p[b + 1]);
  }
  return [nx, ny, nz];
}

/** Unit point normals: face normals (Newell) weighted by corner angle. Points without a face, or whose faces cancel, get (0, 0, 0).
 *  @returns float32[3 P] */
export function vertexNormals(mesh: Faces): Float32Array {
  const { positions: p, faceOffsets, faceVerts } = mesh;
  const sum = new Float64Array(p.length);
  const F = faceOffsets.length - 1;
  for (let f = 0; f < F; f++) {
    const o = faceOffsets[f];
    const n = faceOffsets[f + 1] - o;
    const [nx, ny, nz] = faceNormal(mesh, f);
    const len = Math.sqrt(nx * nx + ny * ny + nz * nz);
    if (len === 0) continue;
    for (let k = 0; k < n; k++) {
      const v = 3 * faceVerts[o + k];
      const a = 3 * faceVerts[o + ((k + n - 1) % n)];
      const b = 3 * faceVerts[o + ((k + 1) % n)];
      const ux = p[a] - p[v], uy = p[a + 1] - p[v + 1], uz = p[a + 2] - p[v + 2]; // prettier-ignore
      const wx = p[b] - p[v], wy = p[b + 1] - p[v + 1], wz = p[b + 2] - p[v + 2]; // prettier-ignore
      const cx = uy * wz - uz * wy, cy = uz * wx - ux * wz, cz = ux * wy - uy * wx; // prettier-ignore
      const angleRad = Math.atan2(Math.sqrt(cx * cx + cy * cy + cz * cz), ux * wx + uy * wy + uz * wz) / len;
      sum[v] += nx * angleRad;
      sum[v + 1] += ny * angleRad;
      sum[v + 2] += nz * angleRad;
    }
  }
  const out = new Float32Array(sum.length);
  for (let i = 0; i < sum.length; i += 3) {
    const len = Math.sqrt(sum[i] ** 2 + sum[i + 1] ** 2 + sum[i + 2] ** 2);
    if (len === 0) continue;
    out[i] = sum[i] / len;
    out[i + 1] = sum[i + 1] / len;
    out[i + 2] = sum[i + 2] / len;
  }
  return out;
}
