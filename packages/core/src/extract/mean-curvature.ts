import { curvatureMeasure } from '../mesh/curvature-measure';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { BallSums, buildPointTree } from '../spatial/point-tree';

const CHECK_EVERY = 20_000;

/** Mean curvature (k1 + k2) / 2 of a surface, averaged over the part of it that lies in a ball around each point: float32[P], one over
 *  scene units, positive where convex; a sphere of radius R has 1 / R. The ball always holds the point's own share. 0 for a point without faces.
 *  @throws CancelledError */
export function meanCurvature(mesh: PolyMesh, radiusUnits: number, control?: RunControl): Float32Array {
  const { curvature, area } = curvatureMeasure(mesh);
  const balls = new BallSums(buildPointTree(mesh.positions, curvature, area));
  const { positions: p } = mesh;
  const out = new Float32Array(pointCount(mesh));
  for (let v = 0; v < out.length; v++) {
    if (v % CHECK_EVERY === 0) throwIfAborted(control);
    balls.at(p[3 * v], p[3 * v + 1], p[3 * v + 2], radiusUnits);
    out[v] = balls.second > 0 ? balls.first / balls.second : 0;
  }
  return out;
}
