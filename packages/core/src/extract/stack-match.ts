import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount } from '../mesh/poly-mesh';
import { refineLinear } from '../subdivision/catmull-clark';
import { connectivityOf, levelZero, refinedFaceCount, refineOnce } from '../subdivision/refine';

/** How many levels lie between two meshes of one stack, by connectivity in the stated point order; null when they are not.
 *  Cheap when the counts cannot fit: nothing is refined then. */
export function levelsBetween(low: PolyMesh, high: PolyMesh): number | null {
  const F = faceCount(high);
  let levels = 0;
  while (refinedFaceCount(low, levels) < F) levels++;
  if (refinedFaceCount(low, levels) !== F) return null;
  let level = levelZero({ ...low, uvs: null, faceUvs: null, colors: null });
  for (let k = 0; k < levels; k++) level = refineOnce(level, 'linear');
  const { mesh } = level;
  if (pointCount(mesh) !== pointCount(high) || mesh.faceVerts.length !== high.faceVerts.length) return null;
  for (let i = 0; i < mesh.faceVerts.length; i++) if (mesh.faceVerts[i] !== high.faceVerts[i]) return null;
  for (let i = 0; i < mesh.faceOffsets.length; i++) if (mesh.faceOffsets[i] !== high.faceOffsets[i]) return null;
  return levels;
}

/** The sculpt's points at the parameters of a base refined `extra` levels beyond the sculpt: float32[3 P].
 *  Between its own points the sculpt is read bilinearly. */
export function pointsAtParameters(sculpt: PolyMesh, extra: number): Float32Array {
  let level = levelZero({ ...sculpt, uvs: null, faceUvs: null, colors: null });
  let points = sculpt.positions;
  for (let k = 0; k < extra; k++) {
    points = refineLinear(points, 3, connectivityOf(level.mesh), level.edges);
    if (k + 1 < extra) level = refineOnce(level, 'linear');
  }
  return points;
}
