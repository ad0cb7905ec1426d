import type { Allocate } from '../runtime/threads';
import { ownMemory } from '../runtime/threads';
import type { Faces, PolyMesh } from './poly-mesh';
import { cornerCount, faceCount } from './poly-mesh';

/** Triangles of a polygon mesh, in face order. */
export interface Triangles {
  readonly corners: Uint32Array; // 3 T, indices into the mesh's corners
  readonly faces: Uint32Array; // T
}

/** Diagonals whose lengths differ by less than this share of the longer one are a tie: what turning or moving a mesh changes must not choose. */
const TIE = 1e-5;
const TIE_SQUARED = 1 / (1 - TIE) ** 2;

/** Whether a quad splits from its first corner (0-2) rather than from its second (1-3): the shorter diagonal, ties from the first. */
export function splitsFromFirst(p: Float32Array, a: number, b: number, c: number, d: number): boolean {
  const ac = (p[3 * a] - p[3 * c]) ** 2 + (p[3 * a + 1] - p[3 * c + 1]) ** 2 + (p[3 * a + 2] - p[3 * c + 2]) ** 2;
  const bd = (p[3 * b] - p[3 * d]) ** 2 + (p[3 * b + 1] - p[3 * d + 1]) ** 2 + (p[3 * b + 2] - p[3 * d + 2]) ** 2;
  return ac <= bd * TIE_SQUARED;
}

/** The one rule by which polygons become a surface: quads along their shorter diagonal, n-gons as a fan from their first corner.
 *  Faces with fewer than three corners give nothing.
 *  @param take is given three of the mesh's corners, in face order */
export function eachTriangle(
  { positions, faceOffsets, faceVerts }: Faces,
  take: (face: number, a: number, b: number, c: number) => void,
): void {
  const F = faceOffsets.length - 1;
  for (let f = 0; f < F; f++) {
    const o = faceOffsets[f];
    const n = faceOffsets[f + 1] - o;
    if (n === 4 && !splitsFromFirst(positions, faceVerts[o], faceVerts[o + 1], faceVerts[o + 2], faceVerts[o + 3])) {
      take(f, o, o + 1, o + 3);
      take(f, o + 1, o + 2, o + 3);
    } else for (let k = 1; k + 1 < n; k++) take(f, o, o + k, o + k + 1);
  }
}

/** Triangles of a face with so many corners. */
export const trianglesIn = (corners: number): number => Math.max(0, corners - 2);

function triangleCount({ faceOffsets }: Pick<Faces, 'faceOffsets'>): number {
  const F = faceOffsets.length - 1;
  let count = 0;
  for (let f = 0; f < F; f++) count += trianglesIn(faceOffsets[f + 1] - faceOffsets[f]);
  return count;
}

/** All triangles of `eachTriangle` at once. */
export function triangulate(mesh: PolyMesh): Triangles {
  const count = triangleCount(mesh);
  const corners = new Uint32Array(3 * count);
  const faces = new Uint32Array(count);
  let t = 0;
  eachTriangle(mesh, (f, a, b, c) => {
    corners[3 * t] = a;
    corners[3 * t + 1] = b;
    corners[3 * t + 2] = c;
    faces[t++] = f;
  });
  return { corners, faces };
}

/** Point indices of the corners of all triangles: uint32[3 T]. What `triangleVerts` gives of `triangulate`, where nothing else is asked of them. */
export function surfaceVerts(mesh: Faces, allocate: Allocate = ownMemory): Uint32Array {
  const { faceVerts } = mesh;
  const out = new Uint32Array(allocate(12 * triangleCount(mesh)));
  let i = 0;
  eachTriangle(mesh, (_, a, b, c) => {
    out[i++] = faceVerts[a];
    out[i++] = faceVerts[b];
    out[i++] = faceVerts[c];
  });
  return out;
}

/** Point indices of triangle corners: uint32[3 T]. */
export function triangleVerts(mesh: PolyMesh, triangles: Triangles, allocate: Allocate = ownMemory): Uint32Array {
  const out = new Uint32Array(allocate(4 * triangles.corners.length));
  for (let i = 0; i < out.length; i++) out[i] = mesh.faceVerts[triangles.corners[i]];
  return out;
}

/** True when every face is a quad. */
export const isAllQuads = (mesh: PolyMesh): boolean => {
  const F = faceCount(mesh);
  if (cornerCount(mesh) !== 4 * F) return false;
  for (let f = 0; f < F; f++) if (mesh.faceOffsets[f + 1] - mesh.faceOffsets[f] !== 4) return false;
  return true;
};
