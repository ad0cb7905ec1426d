import { trianglesIn } from './triangulate';

/** Where two surfaces are compared: all points (weight: a third of the area of the triangles around them), then one place a face
 *  (weight: its area): the centre of its triangles' areas for a triangle, the middle of the splitting diagonal for a quad, and of the
 *  middle triangle for an n-gon. All lie on the surface itself, so a surface compared with itself gives exactly zero. */
export interface SurfaceSamples {
  readonly points: Float32Array; // 3 (P + F)
  readonly weights: Float64Array; // P + F
  readonly pointCount: number;
  /** The points whose mean a face's sample is: three, or two and NO_POINT; empty where nobody asks for them. */
  readonly blends: Uint32Array; // 3 F
}

export const NO_POINT = 0xffffffff;

/** @param verts uint32[3 T], of `surfaceVerts`: a face has two triangles fewer than corners @param allocate gives the places' memory @param blended whether `blends` are asked for */
export function surfaceSamples(
  positions: Float32Array,
  faceOffsets: Uint32Array,
  verts: Uint32Array,
  allocate: (byteLength: number) => ArrayBufferLike = (n) => new ArrayBuffer(n),
  blended = true,
): SurfaceSamples {
  const P = positions.length / 3;
  const F = faceOffsets.length - 1;
  const points = new Float32Array(allocate(12 * (P + F)));
  points.set(positions);
  const weights = new Float64Array(allocate(8 * (P + F)));
  const blends = new Uint32Array(allocate(blended ? 12 * F : 0)).fill(NO_POINT);
  const samples = { points, weights, pointCount: P, blends };
  for (let f = 0, t = 0; f < F; f++) {
    const end = t + trianglesIn(faceOffsets[f + 1] - faceOffsets[f]);
    if (end > t) addFace(samples, verts, f, t, end);
    t = end;
  }
  return samples;
}

/** Adds the place of face f, which is triangles [t, end), and its areas. */
function addFace({ points, weights, pointCount: P, blends }: SurfaceSamples, verts: Uint32Array, f: number, t: number, end: number): void {
  for (let k = t; k < end; k++) {
    const area = triangleArea(points, verts, k);
    weights[verts[3 * k]] += area / 3;
    weights[verts[3 * k + 1]] += area / 3;
    weights[verts[3 * k + 2]] += area / 3;
    weights[P + f] += area;
  }
  const n = end - t;
  const i = 3 * t;
  const mid = i + 3 * (n >> 1);
  // of a quad the ends of the edge that both triangles share
  const first = n === 2 && isOneOf(verts[i], verts, i + 3);
  const a = n !== 2 ? verts[mid] : first ? verts[i] : verts[i + 1];
  const b = n !== 2 ? verts[mid + 1] : first && isOneOf(verts[i + 1], verts, i + 3) ? verts[i + 1] : verts[i + 2];
  const c = n !== 2 ? verts[mid + 2] : NO_POINT;
  const o = 3 * f;
  if (blends.length > 0) {
    blends[o] = a;
    blends[o + 1] = b;
    blends[o + 2] = c;
  }
  for (let k = 0; k < 3; k++) {
    const two = points[3 * a + k] + points[3 * b + k];
    points[3 * P + o + k] = c === NO_POINT ? two / 2 : (two + points[3 * c + k]) / 3;
  }
}

const isOneOf = (v: number, verts: Uint32Array, j: number): boolean => v === verts[j] || v === verts[j + 1] || v === verts[j + 2];

/** Places that a surface is measured at, and the area that each stands for. */
export interface ThinSamples {
  readonly points: Float32Array; // 3 N
  readonly weights: Float64Array; // N
}

/** Of more places than `most` every second, third and so on. Borrowed where that is all. */
export function thinnedSamples({ points, weights }: ThinSamples, most: number): ThinSamples {
  const step = Math.max(1, Math.ceil(weights.length / most));
  if (step === 1) return { points, weights };
  const n = Math.ceil(weights.length / step);
  const some = new Float32Array(3 * n);
  const own = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    own[i] = weights[i * step];
    for (let k = 0; k < 3; k++) some[3 * i + k] = points[3 * i * step + k];
  }
  return { points: some, weights: own };
}

/** @param t triangle */
export function triangleArea(p: Float32Array, verts: Uint32Array, t: number): number {
  const a = 3 * verts[3 * t], b = 3 * verts[3 * t + 1], c = 3 * verts[3 * t + 2]; // prettier-ignore
  const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
  const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
  return Math.sqrt((uy * wz - uz * wy) ** 2 + (uz * wx - ux * wz) ** 2 + (ux * wy - uy * wx) ** 2) / 2;
}
