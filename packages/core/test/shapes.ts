import type { PolyMesh } from '../src';
import { polyMesh } from '../src';

/** A mesh from nested lists; UVs are given a corner each, or left out. */
export function meshOf(
  points: readonly (readonly number[])[],
  faces: readonly (readonly number[])[],
  uvs?: readonly (readonly number[])[],
): PolyMesh {
  const offsets = [0];
  for (const f of faces) offsets.push(offsets[offsets.length - 1] + f.length);
  return polyMesh({
    positions: Float32Array.from(points.flat()),
    faceOffsets: Uint32Array.from(offsets),
    faceVerts: Uint32Array.from(faces.flat()),
    ...(uvs ? { uvs: Float32Array.from(uvs.flat()), faceUvs: Uint32Array.from(uvs.keys()) } : {}),
  });
}

/** n x n quads over [0, size]^2 at a height, UVs over the unit square. `height` may depend on place. */
export function plane(n: number, size = 1, height: number | ((x: number, y: number) => number) = 0): PolyMesh {
  const points: number[] = [];
  const uvs: number[] = [];
  const faces: number[] = [];
  for (let j = 0; j <= n; j++)
    for (let i = 0; i <= n; i++) {
      const [x, y] = [(size * i) / n, (size * j) / n];
      points.push(x, y, typeof height === 'number' ? height : height(x, y));
      uvs.push(i / n, j / n);
    }
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) faces.push(j * (n + 1) + i, j * (n + 1) + i + 1, (j + 1) * (n + 1) + i + 1, (j + 1) * (n + 1) + i);
  const faceVerts = Uint32Array.from(faces);
  return polyMesh({
    positions: Float32Array.from(points),
    faceOffsets: Uint32Array.from({ length: n * n + 1 }, (_, i) => 4 * i),
    faceVerts,
    uvs: Float32Array.from(uvs),
    faceUvs: faceVerts,
  });
}

const CUBE_FACES = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]; // prettier-ignore

/** Axis-aligned cube with outward faces; each face has its own UV square in a 3 x 2 layout. */
export function cube(half = 1): PolyMesh {
  const points = [0, 1, 2, 3, 4, 5, 6, 7].map((i) => [(i & 4 ? half : -half), (i & 2 ? half : -half), (i & 1 ? half : -half)]); // prettier-ignore
  const uvs = CUBE_FACES.flatMap((_, f) => [[0, 0], [1, 0], [1, 1], [0, 1]].map(([u, v]) => [((f % 3) + 0.05 + 0.9 * u) / 3, (Math.floor(f / 3) + 0.05 + 0.9 * v) / 2])); // prettier-ignore
  return meshOf(points, CUBE_FACES, uvs);
}

/** Points pushed onto a sphere. */
export function onSphere(mesh: PolyMesh, radius: number): PolyMesh {
  const positions = Float32Array.from(mesh.positions);
  for (let i = 0; i < positions.length; i += 3) {
    const k = radius / Math.hypot(positions[i], positions[i + 1], positions[i + 2]);
    for (let c = 0; c < 3; c++) positions[i + c] *= k;
  }
  return { ...mesh, positions };
}

/** Repeatable numbers 0..1 (mulberry32). */
export function random(seed: number): () => number {
  return () => {
    seed = (seed + 0x6d2b79f5) | 0;
    let t = Math.imul(seed ^ (seed >>> 15), 1 | seed);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** A value that must be there. */
export function known<T>(value: T | null | undefined): T {
  if (value === null || value === undefined) throw new Error('there is no value');
  return value;
}

/** The same surface, its colours and UVs, with points, faces and each face's first corner in another order. */
export function shuffled(mesh: PolyMesh, seed: number): PolyMesh {
  const next = random(seed);
  const order = (n: number): number[] => {
    const out = Array.from({ length: n }, (_, i) => i);
    for (let i = n - 1; i > 0; i--) {
      const j = Math.floor(next() * (i + 1));
      [out[i], out[j]] = [out[j], out[i]];
    }
    return out;
  };
  const points = order(mesh.positions.length / 3);
  const moved = (values: Float32Array): Float32Array => {
    const out = new Float32Array(values.length);
    points.forEach((to, from) => out.set(values.subarray(3 * from, 3 * from + 3), 3 * to));
    return out;
  };
  const faces = order(mesh.faceOffsets.length - 1).map((f) => {
    const corners = Array.from({ length: mesh.faceOffsets[f + 1] - mesh.faceOffsets[f] }, (_, k) => mesh.faceOffsets[f] + k);
    const turn = Math.floor(next() * corners.length);
    return [...corners.slice(turn), ...corners.slice(0, turn)];
  });
  const offsets = [0];
  for (const f of faces) offsets.push(offsets[offsets.length - 1] + f.length);
  const corners = faces.flat();
  const { faceUvs } = mesh;
  return polyMesh({
    positions: moved(mesh.positions),
    origin: mesh.origin,
    colors: mesh.colors && moved(mesh.colors),
    faceOffsets: Uint32Array.from(offsets),
    faceVerts: Uint32Array.from(corners, (c) => points[mesh.faceVerts[c]]),
    uvs: mesh.uvs,
    faceUvs: faceUvs && Uint32Array.from(corners, (c) => faceUvs[c]),
  });
}

/** A ring about z, radii R and r, outward faces. */
export function torus(R: number, r: number, n: number): PolyMesh {
  const flat = plane(n, 1);
  const positions = new Float32Array(3 * n * n);
  const faceVerts = new Uint32Array(4 * n * n);
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const [a, b] = [(2 * Math.PI * i) / n, (2 * Math.PI * j) / n];
      positions.set([(R + r * Math.cos(b)) * Math.cos(a), (R + r * Math.cos(b)) * Math.sin(a), r * Math.sin(b)], 3 * (j * n + i));
      const [i1, j1] = [(i + 1) % n, (j + 1) % n];
      faceVerts.set([j * n + i, j * n + i1, j1 * n + i1, j1 * n + i], 4 * (j * n + i));
    }
  return { ...flat, positions, faceVerts, uvs: null, faceUvs: null };
}
