import { withOriginOf } from '../mesh/local-origin';
import { pointAreas } from '../mesh/point-areas';
import type { PolyMesh } from '../mesh/poly-mesh';
import { levelZero, refineOnce } from '../subdivision/refine';

/** What a level adds over the refined level below it: area-weighted RMS of |P_k - refine(P_k-1)|, scene units.
 *  Both meshes are levels of one stack in the stated point order. */
export function levelDetail(below: PolyMesh, given: PolyMesh): number {
  const level = withOriginOf(given, below);
  const smooth = refineOnce(levelZero({ ...below, uvs: null, faceUvs: null, colors: null })).mesh.positions;
  const p = level.positions;
  const weights = pointAreas(level);
  let sum = 0;
  let all = 0;
  for (let i = 0; i < weights.length; i++) {
    sum +=
      weights[i] * ((p[3 * i] - smooth[3 * i]) ** 2 + (p[3 * i + 1] - smooth[3 * i + 1]) ** 2 + (p[3 * i + 2] - smooth[3 * i + 2]) ** 2);
    all += weights[i];
  }
  return all === 0 ? 0 : Math.sqrt(sum / all);
}
