import type { PolyMesh } from '../mesh/poly-mesh';
import { requireUvs } from '../mesh/poly-mesh';
import type { Triangles } from '../mesh/triangulate';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import type { Allocate } from '../runtime/threads';
import { placeF32 } from '../runtime/threads';
import type { BaseSurface } from '../subdivision/base-surface';

/** A base and its triangles, in memory that all threads see but for `triangles`. */
export interface SpanBase extends BaseSurface {
  readonly triangles: Triangles;
  readonly verts: Uint32Array; // 3 T, points of its triangles
  readonly uvCorners: Uint32Array; // 3 T, their UVs
  readonly lowFaces: Uint32Array; // T, the light mesh's face under each
}

/** @throws InvalidInputError NO_UVS */
export function spanBase(low: PolyMesh, { mesh, normals, level }: BaseSurface, allocate: Allocate): SpanBase {
  const { faceUvs } = requireUvs(mesh);
  const triangles = triangulate(mesh);
  const uvCorners = new Uint32Array(allocate(triangles.corners.byteLength));
  for (let i = 0; i < uvCorners.length; i++) uvCorners[i] = faceUvs[triangles.corners[i]];
  return {
    mesh: { ...mesh, positions: placeF32(mesh.positions, allocate) },
    normals: placeF32(normals, allocate),
    level,
    triangles,
    verts: triangleVerts(mesh, triangles, allocate),
    uvCorners,
    lowFaces: lowFacesOf(low, level, triangles.faces, allocate),
  };
}

/** The light mesh's face under each refined face: children of a face follow each other. `faces` ascends. */
export function lowFacesOf(low: PolyMesh, level: number, faces: Uint32Array, allocate: Allocate): Uint32Array {
  const out = new Uint32Array(allocate(4 * faces.length));
  const perCorner = level === 0 ? 0 : 4 ** (level - 1);
  let f = 0;
  for (let t = 0; t < faces.length; t++) {
    if (perCorner === 0) f = faces[t];
    else while (faces[t] >= low.faceOffsets[f + 1] * perCorner) f++;
    out[t] = f;
  }
  return out;
}
