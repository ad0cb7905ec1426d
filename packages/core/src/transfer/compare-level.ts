import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { ClosestQuery } from '../spatial/closest';
import type { Deviation } from './deviation';
import { deviation } from './deviation';
import { noHits } from './project-points';
import type { TransferTarget } from './target';
import { foldedFaces } from './unfold';

/** How a level that was changed by hand lies on its sculpt. */
export interface ComparedLevel extends Deviation {
  /** Faces that face against the sculpt nearest to their corners. */
  readonly folded: readonly number[];
  /** Of the faces asked for: those with a point farther from the sculpt than `OFF_EDGES` of their edges. */
  readonly off: readonly number[];
  /** Those points. */
  readonly offPoints: number;
}

/** A point of a missed face is on the sculpt again when it is nearer than this share of the face's edges. */
const OFF_EDGES = 0.1;

/** @param faces to look at one by one, as those that found nothing  @throws CancelledError */
export async function compareLevel(
  mesh: PolyMesh,
  target: TransferTarget,
  faces: readonly number[],
  threads: Threads,
  control?: RunControl,
): Promise<ComparedLevel> {
  const query = new ClosestQuery(target.trees[0].tree);
  const { positions: p, faceOffsets, faceVerts } = mesh;
  // by what lies under the corners, which are on the sculpt: a face's middle may be nearer to the other side of a crease
  const hits = noHits(pointCount(mesh));
  for (let v = 0; v < hits.triangle.length; v++) {
    query.find(p[3 * v], p[3 * v + 1], p[3 * v + 2]);
    hits.triangle[v] = query.triangle;
  }
  const folded = foldedFaces(mesh, vertexNormals(mesh), hits, target);
  const offPoints = new Set<number>();
  const off = faces.filter((f) => {
    const verts = faceVerts.subarray(faceOffsets[f], faceOffsets[f + 1]);
    const around = verts.reduce((sum, v, k) => sum + Math.hypot(...[0, 1, 2].map((i) => p[3 * v + i] - p[3 * verts[(k + 1) % verts.length] + i])), 0); // prettier-ignore
    const within = (OFF_EDGES * around) / verts.length;
    const far = [...verts].filter((v) => !query.find(p[3 * v], p[3 * v + 1], p[3 * v + 2]) || query.distance2 > within * within);
    for (const v of far) offPoints.add(v);
    return far.length > 0;
  });
  return { ...(await deviation(mesh, target, threads, control)), folded, off, offPoints: offPoints.size };
}
