import type { PolyMesh } from '../mesh/poly-mesh';
import type { SurfaceSamples, ThinSamples } from '../mesh/surface-samples';
import { surfaceSamples, thinnedSamples } from '../mesh/surface-samples';
import { surfaceVerts } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { stopOf, subProgress } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { placeF32, rangesOf } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { closestDistances } from '../spatial/closest-distances';
import { rayBvhByThreads } from '../spatial/tree-by-threads';
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

/** Where a surface is measured at: of very many places a part, where threads can read them. */
export function measuredAt(samples: SurfaceSamples, allocate: Threads['allocate']): ThinSamples {
  const { points, weights } = thinnedSamples(samples, MOST_SAMPLES);
  return { points: placeF32(points, allocate), weights };
}

/** How far a level lies from the sculpt, measured between faces' middles and points and the other's surface, both ways. @throws CancelledError */
export async function deviation(
  mesh: PolyMesh,
  target: Pick<TransferTarget, 'samples' | 'trees'>,
  threads: Threads,
  control?: RunControl,
): Promise<Deviation> {
  const verts = surfaceVerts(mesh);
  const own = measuredAt(surfaceSamples(mesh.positions, mesh.faceOffsets, verts), threads.allocate);
  const there = await oneWay(own, target.trees[0].tree, threads, subProgress(control, 0, 0.5));
  const tree = await rayBvhByThreads(mesh.positions, verts, threads, stopOf(control));
  const back = await oneWay(target.samples(), tree, threads, subProgress(control, 0.5, 1));
  return { rms: Math.sqrt((there.square + back.square) / 2), max: Math.max(there.max, back.max) };
}

async function oneWay(
  { points, weights }: ThinSamples,
  tree: Bvh,
  threads: Threads,
  control?: RunControl,
): Promise<{ square: number; max: number }> {
  const n = weights.length;
  const tasks = rangesOf(n, TASK);
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
