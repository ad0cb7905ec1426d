import type { Creases, PolyMesh } from './poly-mesh';
import { faceCount, NO_INDEX } from './poly-mesh';

const NONE = 0xffffffff;

/** Faces cut out of a mesh, and what became of its numbers: NONE for a point or UV that is gone. */
export interface CutFaces {
  readonly mesh: PolyMesh;
  readonly points: Uint32Array; // P
  readonly uvs: Uint32Array | null; // T
}

/** Some faces of a mesh, in their order, with the points, UVs and normals that they use, renumbered without gaps in their order. */
export function cutFaces(mesh: PolyMesh, kept: (face: number) => boolean): CutFaces {
  const corners: number[] = [];
  const faceOffsets = [0];
  const faces: number[] = [];
  for (let f = 0; f < faceCount(mesh); f++) {
    if (!kept(f)) continue;
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) corners.push(c);
    faceOffsets.push(corners.length);
    faces.push(f);
  }
  const points = packed(mesh.faceVerts, corners, mesh.positions.length / 3);
  const { uvs, faceUvs, normals, faceNormals, colors } = mesh;
  const t = uvs && faceUvs && packed(faceUvs, corners, uvs.length / 2);
  const n = normals && faceNormals && packed(faceNormals, corners, normals.length / 3);
  const cut: PolyMesh = {
    ...mesh,
    positions: points.pick(mesh.positions, 3),
    faceOffsets: Uint32Array.from(faceOffsets),
    faceVerts: points.indices,
    uvs: t && uvs && t.pick(uvs, 2),
    faceUvs: t?.indices ?? null,
    normals: n && normals && n.pick(normals, 3),
    faceNormals: n?.indices ?? null,
    colors: colors && points.pick(colors, 3),
    faceSections: Uint16Array.from(faces, (f) => mesh.faceSections[f]),
    creases: mesh.creases && renumberCreases(mesh.creases, points.to),
  };
  return { mesh: cut, points: points.to, uvs: t?.to ?? null };
}

/** The same without its numbers. */
export const keepFaces = (mesh: PolyMesh, kept: (face: number) => boolean): PolyMesh => cutFaces(mesh, kept).mesh;

/** Creases at points that got other numbers; those at points that are gone, or whose ends are one, are left out. @param to NONE for a point that is gone */
export function renumberCreases({ edges, edgeSharpness, points, pointSharpness }: Creases, to: Uint32Array): Creases {
  const pairs = [...edgeSharpness.keys()].filter((i) => {
    const [a, b] = [to[edges[2 * i]], to[edges[2 * i + 1]]];
    return a !== NONE && b !== NONE && a !== b;
  });
  const held = [...points.keys()].filter((i) => to[points[i]] !== NONE);
  return {
    edges: Uint32Array.from(pairs.flatMap((i) => [to[edges[2 * i]], to[edges[2 * i + 1]]])),
    edgeSharpness: Float32Array.from(pairs, (i) => edgeSharpness[i]),
    points: Uint32Array.from(held, (i) => to[points[i]]),
    pointSharpness: Float32Array.from(held, (i) => pointSharpness[i]),
  };
}

/** Indices at some corners, numbered anew without gaps, their order kept. */
function packed(indices: Uint32Array, corners: readonly number[], count: number): { to: Uint32Array; indices: Uint32Array; pick: (values: Float32Array, K: number) => Float32Array } {
  const to = new Uint32Array(count).fill(NONE);
  for (const c of corners) if (indices[c] !== NO_INDEX) to[indices[c]] = 0;
  const from: number[] = [];
  for (let i = 0; i < count; i++) if (to[i] === 0) to[i] = from.push(i) - 1;
  const pick = (values: Float32Array, K: number): Float32Array => {
    const out = new Float32Array(K * from.length);
    from.forEach((i, j) => out.set(values.subarray(K * i, K * i + K), K * j));
    return out;
  };
  return { to, indices: Uint32Array.from(corners, (c) => (indices[c] === NO_INDEX ? NO_INDEX : to[indices[c]])), pick };
} // prettier-ignore
