import type { Mended } from '../mesh/mends';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import { levelZero, refineOnce } from '../subdivision/refine';

const QUAD = 4;

/** Splits every face once, by a point in its middle and one on each edge, all on its polygon: afterwards there are quads only, and the shape and the UVs are what
 *  they were. Creases run on, a level shorter. Normals are dropped. A mesh of quads stays as it is.
 *  @returns `count`: faces of other than four corners */
export function refinedToQuads(mesh: PolyMesh): Mended {
  let count = 0;
  for (let f = 0; f < faceCount(mesh); f++) if (mesh.faceOffsets[f + 1] - mesh.faceOffsets[f] !== QUAD) count++;
  return count === 0 ? { mesh, count } : { mesh: refineOnce(levelZero(mesh), 'linear').mesh, count };
}
