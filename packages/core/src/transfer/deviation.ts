import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import type { SurfaceSamples } from '../mesh/surface-samples';
import { surfaceSamples } from '../mesh/surface-samples';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { placeF32 } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildBvh } from '../spatial/bvh';
import { closestDistances } from '../spatial/closest-distances';
import type { TransferTarget } from './target';

/** Places a surface is measured at, each way, at most; more do not move the figure. */
const MOST_SAMPLES = 150_000;
const TASK = 8192;

/** Distances between two surfaces, both ways, scene units. */
export interface Deviation {
  /** Each way has half of the weight, within a way areas count. */
  readonly rms: number;
  readonly max: number;
}

/** Places that a surface is measured at, and the area that each stands for. */
export interface ThinSamples {
  readonly points: Float32Array; // 3 N, where threads can read them
  readonly weights: Float64Array; // N
}

/** Of very many places every second, third and so on. */
export function thinned({ points, weights }: SurfaceSamples, allocate: Threads['allocate']): ThinSamples {
  const step = Math.max(1, Math.ceil(weights.length / MOST_SAMPLES));
  const n = Math.ceil(weights.length / step);
  const some = new Float32Array(3 * n);
  const own = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    own[i] = weights[i * step];
    for (let k = 0; k < 3; k++) some[3 * i + k] = points[3 * i * step + k];
  }
  return { points: placeF32(some, allocate), weights: own };
}

/** How far a level lies from the sculpt, measured between faces' middles and points and the other's surface, both ways. @throws CancelledError */
export async function deviation(
  mesh: PolyMesh,
  target: Pick<TransferTarget, 'samples' | 'trees'>,
  threads: Threads,
  control?: RunControl,
): Promise<Deviation> {
  const triangles = triangulate(mesh);
  const verts = triangleVerts(mesh, triangles);
  const own = thinned(surfaceSamples(mesh.positions, triangles, verts, faceCount(mesh)), threads.allocate);
  const there = await oneWay(own, target.trees[0].tree, threads, subProgress(control, 0, 0.5));
  const back = await oneWay(target.samples(), buildBvh(mesh.positions, verts, threads.allocate), threads, subProgress(control, 0.5, 1));
  return { rms: Math.sqrt((there.square + back.square) / 2), max: Math.max(there.max, back.max) };
}

async function oneWay(
  { points, weights }: ThinSamples,
  tree: Bvh,
  threads: Threads,
  control?: RunControl,
): Promise<{ square: number; max: number }> {
  const n = weights.length;
  const tasks = Array.from({ length: Math.ceil(n / TASK) }, (_, i) => ({ from: i * TASK, to: Math.min(n, (i + 1) * TASK) }));
  let [square, all, max] = [0, 0, 0];
  await threads.run(
    closestDistances,
    { points, tree, verts: null, normals: null },
    tasks,
    ({ distances }, task) => {
      const { from } = tasks[task];
      for (let i = 0; i < distances.length; i++) {
        const d = distances[i];
        square += weights[from + i] * d * d;
        all += weights[from + i];
        if (d > max) max = d;
      }
    },
    control,
  );
  return { square: all > 0 ? square / all : 0, max };
}
