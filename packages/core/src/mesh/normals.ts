import type { Allocate } from '../runtime/threads';
import { ownMemory } from '../runtime/threads';
import type { Faces } from './poly-mesh';

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
export function vertexNormals({ positions, faceOffsets, faceVerts }: Faces, allocate: Allocate = ownMemory): Float32Array {
  const sums = new Float64Array(positions.length);
  const F = faceOffsets.length - 1;
  for (let f = 0; f < F; f++) addAtCorners(sums, positions, faceVerts, faceOffsets[f], faceOffsets[f + 1]);
  return unit(sums, allocate);
}

/** Adds a face's unit normal to the sums of its points, at each by the angle of its corner there, radians. Corners [from, to). */
function addAtCorners(sums: Float64Array, p: Float32Array, faceVerts: Uint32Array, from: number, to: number): void {
  if (from === to) return;
  // before, at and after a corner: a point is read once a round, which is what takes the time where points lie scattered
  const a = 3 * faceVerts[to - 1];
  let v = 3 * faceVerts[from];
  let ax = p[a], ay = p[a + 1], az = p[a + 2]; // prettier-ignore
  let vx = p[v], vy = p[v + 1], vz = p[v + 2]; // prettier-ignore
  let nx = 0, ny = 0, nz = 0; // prettier-ignore
  for (let k = from + 1; k <= to; k++) {
    const b = 3 * faceVerts[k === to ? from : k];
    const bx = p[b], by = p[b + 1], bz = p[b + 2]; // prettier-ignore
    nx += (vy - by) * (vz + bz);
    ny += (vz - bz) * (vx + bx);
    nz += (vx - bx) * (vy + by);
    vx = bx;
    vy = by;
    vz = bz;
  }
  const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
  if (length === 0) return;
  for (let k = from + 1; k <= to; k++) {
    const b = 3 * faceVerts[k === to ? from : k];
    const bx = p[b], by = p[b + 1], bz = p[b + 2]; // prettier-ignore
    const ux = ax - vx, uy = ay - vy, uz = az - vz; // prettier-ignore
    const wx = bx - vx, wy = by - vy, wz = bz - vz; // prettier-ignore
    const cx = uy * wz - uz * wy, cy = uz * wx - ux * wz, cz = ux * wy - uy * wx; // prettier-ignore
    const share = Math.atan2(Math.sqrt(cx * cx + cy * cy + cz * cz), ux * wx + uy * wy + uz * wz) / length;
    sums[v] += nx * share;
    sums[v + 1] += ny * share;
    sums[v + 2] += nz * share;
    v = b;
    ax = vx;
    ay = vy;
    az = vz;
    vx = bx;
    vy = by;
    vz = bz;
  }
}

/** Vectors of length one; those of none stay so. */
function unit(sums: Float64Array, allocate: Allocate): Float32Array {
  const out = new Float32Array(allocate(4 * sums.length));
  for (let i = 0; i < sums.length; i += 3) {
    const length = Math.sqrt(sums[i] ** 2 + sums[i + 1] ** 2 + sums[i + 2] ** 2);
    if (length === 0) continue;
    out[i] = sums[i] / length;
    out[i + 1] = sums[i + 1] / length;
    out[i + 2] = sums[i + 2] / length;
  }
  return out;
}
