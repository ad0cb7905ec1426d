import type { PolyMesh } from '../mesh/poly-mesh';
import { NO_INDEX } from '../mesh/poly-mesh';

/** The normals of a mesh as one a point, float32[3 P]; null where there are none, or where a point has several: a hard edge. */
export function normalsOfPoints({ normals, faceNormals, faceVerts, positions }: PolyMesh): Float32Array | null {
  if (normals === null || faceNormals === null) return null;
  const out = new Float32Array(positions.length);
  const known = new Uint8Array(positions.length / 3);
  for (let c = 0; c < faceVerts.length; c++) {
    const n = 3 * faceNormals[c];
    const v = faceVerts[c];
    if (faceNormals[c] === NO_INDEX) return null;
    for (let k = 0; k < 3; k++) {
      if (known[v] === 1 && out[3 * v + k] !== normals[n + k]) return null;
      out[3 * v + k] = normals[n + k];
    }
    known[v] = 1;
  }
  return out;
}
