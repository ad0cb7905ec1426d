import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { buildRayBvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';

const LOOK_UP_EVERY = 16384;

/** Which group of the light mesh each face of a free sculpt belongs to: that of the light face which is nearest to its middle.
 *  @param of group of each face of the light mesh @throws CancelledError */
export function groupsOfSculpt(low: PolyMesh, of: Uint16Array, given: PolyMesh, control?: RunControl): Uint16Array {
  const sculpt = withOriginOf(given, low);
  const triangles = triangulate(low);
  const query = new ClosestQuery(buildRayBvh(low.positions, triangleVerts(low, triangles)));
  const { positions, faceOffsets, faceVerts } = sculpt;
  const F = faceCount(sculpt);
  const out = new Uint16Array(F);
  for (let f = 0; f < F; f++) {
    if (f % LOOK_UP_EVERY === 0) {
      throwIfAborted(control);
      control?.onProgress?.(f / F, 'looking for the nearest faces');
    }
    const [a, b] = [faceOffsets[f], faceOffsets[f + 1]];
    let x = 0;
    let y = 0;
    let z = 0;
    for (let c = a; c < b; c++) {
      x += positions[3 * faceVerts[c]] / (b - a);
      y += positions[3 * faceVerts[c] + 1] / (b - a);
      z += positions[3 * faceVerts[c] + 2] / (b - a);
    }
    query.find(x, y, z);
    out[f] = of[triangles.faces[query.triangle]];
  }
  return out;
}
