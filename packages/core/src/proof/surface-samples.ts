import type { Triangles } from '../mesh/triangulate';

/** Where two surfaces are compared: all points (weight: a third of the area of the triangles around them), then one place a face
 *  (weight: its area): the centre of its triangles' areas for a triangle, the middle of the splitting diagonal for a quad, and of the
 *  middle triangle for an n-gon. All lie on the surface itself, so a surface compared with itself gives exactly zero. */
export interface SurfaceSamples {
  readonly points: Float32Array; // 3 (P + F)
  readonly weights: Float64Array; // P + F
  readonly pointCount: number;
}

/** @param verts uint32[3 T], points of `triangles` */
export function surfaceSamples(positions: Float32Array, triangles: Triangles, verts: Uint32Array, faceCount: number): SurfaceSamples {
  const P = positions.length / 3;
  const points = new Float32Array(3 * (P + faceCount));
  points.set(positions);
  const weights = new Float64Array(P + faceCount);
  const T = verts.length / 3;
  for (let t = 0; t < T;) {
    const f = triangles.faces[t];
    let end = t;
    while (end < T && triangles.faces[end] === f) {
      const area = triangleArea(positions, verts, end);
      for (let k = 0; k < 3; k++) weights[verts[3 * end + k]] += area / 3;
      weights[P + f] += area;
      end++;
    }
    const n = end - t;
    const mid = 3 * (t + (n >> 1));
    const [a, b, c] = [3 * verts[mid], 3 * verts[mid + 1], 3 * verts[mid + 2]];
    for (let k = 0; k < 3; k++) {
      // the second triangle of a quad shares its first and, by the splitting rule, one more corner with the first triangle
      points[3 * (P + f) + k] =
        n === 2 ? diagonalMiddle(positions, verts, t, k) : (positions[a + k] + positions[b + k] + positions[c + k]) / 3;
    }
    t = end;
  }
  return { points, weights, pointCount: P };
}

/** Coordinate k of the middle of the edge that triangles t and t + 1 share. */
function diagonalMiddle(p: Float32Array, verts: Uint32Array, t: number, k: number): number {
  let sum = 0;
  for (let i = 3 * t; i < 3 * t + 3; i++) {
    const v = verts[i];
    if (v === verts[3 * t + 3] || v === verts[3 * t + 4] || v === verts[3 * t + 5]) sum += p[3 * v + k];
  }
  return sum / 2;
}

/** @param t triangle */
export function triangleArea(p: Float32Array, verts: Uint32Array, t: number): number {
  const a = 3 * verts[3 * t], b = 3 * verts[3 * t + 1], c = 3 * verts[3 * t + 2]; // prettier-ignore
  const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
  const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
  return Math.sqrt((uy * wz - uz * wy) ** 2 + (uz * wx - ux * wz) ** 2 + (ux * wy - uy * wx) ** 2) / 2;
}
