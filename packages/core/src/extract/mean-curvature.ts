import { curvatureMeasure } from '../mesh/curvature-measure';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Allocate, Kernel, Range, Threads } from '../runtime/threads';
import { ownMemory, rangesOf } from '../runtime/threads';
import type { PointTree } from '../spatial/point-tree';
import { BallSums, buildPointTree } from '../spatial/point-tree';

const TASK = 20_000;

interface BallJob {
  readonly tree: PointTree;
  readonly radius: number; // scene units
}

/** The first values' sum over the second's, in the ball around each of some points: in the order of the tree, where neighbours find the same nodes. */
export const ballMeans: Kernel<BallJob, Range, Float32Array> = {
  name: 'ball-means',
  run({ tree, radius }, { from, to }) {
    const { positions: p, order } = tree;
    const balls = new BallSums(tree);
    const out = new Float32Array(to - from);
    for (let i = from; i < to; i++) {
      const v = 3 * order[i];
      balls.at(p[v], p[v + 1], p[v + 2], radius);
      out[i - from] = balls.second > 0 ? balls.first / balls.second : 0;
    }
    return out;
  },
};

/** Mean curvature (k1 + k2) / 2 of a surface, averaged over the part of it that lies in a ball around each point: float32[P], one over
 *  scene units, positive where convex; a sphere of radius R has 1 / R. The ball always holds the point's own share. 0 for a point without faces.
 *  @throws CancelledError */
export function meanCurvature(mesh: PolyMesh, radius: number, control?: RunControl): Float32Array {
  const job = ballJob(mesh, radius, ownMemory);
  const out = new Float32Array(pointCount(mesh));
  for (const range of rangesOf(out.length, TASK)) {
    throwIfAborted(control);
    putBack(out, job, range, ballMeans.run(job, range));
  }
  return out;
}

/** The same by all threads. @throws CancelledError */
export async function meanCurvatureByThreads(
  mesh: PolyMesh,
  radius: number,
  threads: Threads,
  control?: RunControl,
): Promise<Float32Array> {
  const job = ballJob(mesh, radius, threads.allocate);
  const out = new Float32Array(threads.allocate(4 * pointCount(mesh)));
  const ranges = rangesOf(out.length, TASK);
  await threads.run(ballMeans, job, ranges, (values, i) => { putBack(out, job, ranges[i], values); }, control); // prettier-ignore
  return out;
}

function ballJob(mesh: PolyMesh, radius: number, allocate: Allocate): BallJob {
  const { curvature, area } = curvatureMeasure(mesh);
  return { tree: buildPointTree(mesh.positions, curvature, area, allocate), radius };
}

function putBack(out: Float32Array, { tree: { order } }: BallJob, { from, to }: Range, values: Float32Array): void {
  for (let i = from; i < to; i++) out[order[i]] = values[i - from];
}
