import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, NO_INDEX, requireUvs } from '../mesh/poly-mesh';
import { triangulate } from '../mesh/triangulate';
import { mikkTangents } from './mikktspace';
import { TangentFrame } from './tangent-frame';

/** How a direction is written: in the mesh's own space, or in the light mesh's MikkTSpace tangent frames. */
export type NormalFrame = 'mikk' | 'object';

/** MikkTSpace frames at the corners of the light mesh's triangles. Typed arrays only, so threads can share it. */
export interface LowFrames {
  readonly uvs: Float32Array; // 6 T: UVs of the three corners
  readonly tangents: Float32Array; // 12 T: x, y, z, sign a corner
  readonly normals: Float32Array; // 9 T: the shading normals the frames stand on
  /** First triangle of each face, F + 1. */
  readonly faceTriangles: Uint32Array;
}

/** Corner normals of a mesh's triangles: those that the file carries, where it does; else the point normals by corner angle. */
function cornerNormals(mesh: PolyMesh, corners: Uint32Array): Float32Array {
  const { normals, faceNormals } = mesh;
  const given = normals !== null && faceNormals !== null && !faceNormals.includes(NO_INDEX);
  const source = given ? normals : vertexNormals(mesh);
  const index = given ? faceNormals : mesh.faceVerts;
  const out = new Float32Array(3 * corners.length);
  for (let i = 0; i < corners.length; i++) {
    const n = 3 * index[corners[i]];
    const length = Math.hypot(source[n], source[n + 1], source[n + 2]) || 1;
    for (let k = 0; k < 3; k++) out[3 * i + k] = source[n + k] / length;
  }
  return out;
}

/** Tangent frames by the MikkTSpace standard (Mikkelsen 2008) on the light mesh as it is written, split into triangles by `triangulate`.
 *  @throws InvalidInputError NO_UVS, NO_FACES */
export function lowFrames(low: PolyMesh): LowFrames {
  const { uvs: uvValues, faceUvs } = requireUvs(low);
  const { corners, faces } = triangulate(low);
  const positions = new Float32Array(3 * corners.length);
  const uvs = new Float32Array(2 * corners.length);
  for (let i = 0; i < corners.length; i++) {
    const p = 3 * low.faceVerts[corners[i]];
    const t = 2 * faceUvs[corners[i]];
    positions.set(low.positions.subarray(p, p + 3), 3 * i);
    uvs.set(uvValues.subarray(t, t + 2), 2 * i);
  }
  const normals = cornerNormals(low, corners);
  const tangents = mikkTangents({ positions, normals, uvs });
  const faceTriangles = new Uint32Array(faceCount(low) + 1);
  for (const f of faces) faceTriangles[f + 1]++;
  for (let f = 0; f + 1 < faceTriangles.length; f++) faceTriangles[f + 1] += faceTriangles[f];
  return { uvs, tangents, normals, faceTriangles };
}

/** The tangent frame at a place of the light mesh. One object a thread: it holds its last answer.
 *
 *  As the standard wants it, T and N are interpolated and used un-normalised, and B = sign (N x T). */
export class FrameAt extends TangentFrame {
  constructor(private readonly frames: LowFrames) {
    super();
  }

  /** Finds the frame at absolute (u, v) of a face. A place that rounding or smoothed UVs put just outside its triangles takes the nearest
   *  one's frame, continued. */
  set(face: number, u: number, v: number): void {
    const { uvs, tangents, normals, faceTriangles } = this.frames;
    let best = -Infinity;
    let t = faceTriangles[face];
    let wb = 0;
    let wc = 0;
    for (let i = faceTriangles[face]; i < faceTriangles[face + 1]; i++) {
      const o = 6 * i;
      const e1u = uvs[o + 2] - uvs[o], e1v = uvs[o + 3] - uvs[o + 1], e2u = uvs[o + 4] - uvs[o], e2v = uvs[o + 5] - uvs[o + 1]; // prettier-ignore
      const det = e1u * e2v - e1v * e2u;
      if (det === 0) continue;
      const pu = u - uvs[o];
      const pv = v - uvs[o + 1];
      const b = (pu * e2v - pv * e2u) / det;
      const c = (e1u * pv - e1v * pu) / det;
      const least = Math.min(1 - b - c, b, c);
      if (least <= best) continue;
      best = least;
      t = i;
      wb = b;
      wc = c;
    }
    const wa = 1 - wb - wc;
    const a = 12 * t;
    const n = 9 * t;
    this.tx = wa * tangents[a] + wb * tangents[a + 4] + wc * tangents[a + 8];
    this.ty = wa * tangents[a + 1] + wb * tangents[a + 5] + wc * tangents[a + 9];
    this.tz = wa * tangents[a + 2] + wb * tangents[a + 6] + wc * tangents[a + 10];
    this.nx = wa * normals[n] + wb * normals[n + 3] + wc * normals[n + 6];
    this.ny = wa * normals[n + 1] + wb * normals[n + 4] + wc * normals[n + 7];
    this.nz = wa * normals[n + 2] + wb * normals[n + 5] + wc * normals[n + 8];
    this.completeBitangent(tangents[a + 3]);
  }
}
