import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import type { SurfaceSamples } from '../mesh/surface-samples';
import { surfaceSamples } from '../mesh/surface-samples';
import type { Triangles } from '../mesh/triangulate';
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

/** How far a level lies from the sculpt, measured between faces' middles and points and the other's surface, both ways. @throws CancelledError */
export async function deviation(mesh: PolyMesh, target: TransferTarget, threads: Threads, control?: RunControl): Promise<Deviation> {
  const triangles = triangulate(mesh);
  const verts = triangleVerts(mesh, triangles);
  const own = surfaceSamples(mesh.positions, triangles, verts, faceCount(mesh));
  const theirs = surfaceSamples(target.mesh.positions, soup(target.verts), target.verts, target.verts.length / 3);
  const there = await oneWay(own, target.trees[0].tree, threads, subProgress(control, 0, 0.5));
  const back = await oneWay(theirs, buildBvh(mesh.positions, verts, threads.allocate), threads, subProgress(control, 0.5, 1));
  return { rms: Math.sqrt((there.square + back.square) / 2), max: Math.max(there.max, back.max) };
}

/** Triangles that are faces of their own. */
const soup = (verts: Uint32Array): Triangles => ({
  corners: Uint32Array.from(verts.keys()),
  faces: Uint32Array.from({ length: verts.length / 3 }, (_, t) => t),
});

async function oneWay(
  { points, weights }: SurfaceSamples,
  tree: Bvh,
  threads: Threads,
  control?: RunControl,
): Promise<{ square: number; max: number }> {
  const step = Math.max(1, Math.ceil(weights.length / MOST_SAMPLES));
  const n = Math.ceil(weights.length / step);
  const thinned = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) thinned[3 * i + k] = points[3 * i * step + k];
  const tasks = Array.from({ length: Math.ceil(n / TASK) }, (_, i) => ({ from: i * TASK, to: Math.min(n, (i + 1) * TASK) }));
  let [square, all, max] = [0, 0, 0];
  const job = { points: placeF32(thinned, threads.allocate), tree, verts: null, normals: null };
  await threads.run(
    closestDistances,
    job,
    tasks,
    ({ distances }, task) => {
      distances.forEach((d, i) => {
        const weight = weights[(tasks[task].from + i) * step];
        square += weight * d * d;
        all += weight;
        if (d > max) max = d;
      });
    },
    control,
  );
  return { square: all > 0 ? square / all : 0, max };
}
