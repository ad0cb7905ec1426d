import type { PolyMesh } from '../mesh/poly-mesh';
import { surfaceVerts } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Allocate, Range, Threads } from '../runtime/threads';
import { ownMemory, placeF32, rangesOf } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildRayBvh } from '../spatial/bvh';
import { inSpaceOrder } from '../spatial/space-order';
import { rayBvhByThreads } from '../spatial/tree-by-threads';
import type { DistanceJob } from '../spatial/closest-distances';
import { closestDistances } from '../spatial/closest-distances';
import type { BaseSurface } from '../subdivision/base-surface';
import { refinedFaceCount, refineLevels } from '../subdivision/refine';

/** Automatic reach in one stack: 1.05 times the largest distance between same-parameter points. */
export function reachInStack(base: Float32Array, sculpt: Float32Array): number {
  let worst = 0;
  for (let i = 0; i < base.length; i += 3) {
    const d = (base[i] - sculpt[i]) ** 2 + (base[i + 1] - sculpt[i + 1]) ** 2 + (base[i + 2] - sculpt[i + 2]) ** 2;
    if (d > worst) worst = d;
  }
  return 1.05 * Math.sqrt(worst);
}

/** Points are thinned to this many a side: the percentile below does not move with more. */
const SAMPLES = 100_000;

/** Faces of the base that distances are measured to: its points lie on the surface at any level, and a reach needs no more. */
const REACH_FACES = 120_000;

/** One point in so many is measured first, to know what the others are looked at for. */
const FIRST = 8;

/** Automatic reach to a free sculpt: 1.5 times the 99.9th percentile of the two-way closest distance, over evenly thinned points.
 *  @param low that `base` was refined from */
export function reachToFreeSculpt(low: PolyMesh, base: BaseSurface, sculpt: Float32Array, sculptTree: Bvh): number {
  const coarse = coarseBase(low, base);
  const baseTree = buildRayBvh(coarse.positions, surfaceVerts(coarse));
  const jobs = jobsOf(base, baseTree, sculpt, sculptTree, ownMemory);
  const farthest = new Farthest(jobs);
  for (const job of jobs) farthest.add(closestDistances.run({ ...job, floor: farthest.least }, wholeOf(job)).distances);
  return farthest.reach;
}

/** The same by all threads. @throws CancelledError */
export async function reachByThreads(
  low: PolyMesh,
  base: BaseSurface,
  sculpt: Float32Array,
  sculptTree: Bvh,
  threads: Threads,
  control?: RunControl,
): Promise<number> {
  const coarse = coarseBase(low, base);
  const baseTree = await rayBvhByThreads(coarse.positions, surfaceVerts(coarse), threads, stopOf(control));
  const jobs = jobsOf(base, baseTree, sculpt, sculptTree, threads.allocate);
  const farthest = new Farthest(jobs);
  for (const job of jobs) {
    const tasks = rangesOf(wholeOf(job).to, TASK);
    await threads.run(
      closestDistances,
      { ...job, floor: farthest.least },
      tasks,
      ({ distances }) => {
        farthest.add(distances);
      },
      stopOf(control),
    );
  }
  return farthest.reach;
}

const TASK = 8192;
const wholeOf = ({ points }: DistanceJob): Range => ({ from: 0, to: points.length / 3 });

/** The largest thousandth of all distances. */
class Farthest {
  /** How many that is. */
  private readonly count: number;
  private kept = new Float32Array(0); // ascending
  constructor(jobs: readonly DistanceJob[]) {
    const n = jobs.reduce((sum, job) => sum + wholeOf(job).to, 0);
    this.count = n - Math.floor(0.999 * n);
  }
  /** Distances below this one are not among them, whatever they are. */
  get least(): number {
    return this.kept.length < this.count ? 0 : this.kept[0];
  }
  get reach(): number {
    return 1.5 * (this.kept[0] ?? 0);
  }
  add(distances: Float32Array): void {
    const { least } = this;
    const above = distances.filter((d) => d >= least);
    const all = new Float32Array(this.kept.length + above.length);
    all.set(this.kept);
    all.set(above, this.kept.length);
    this.kept = all.sort().slice(-this.count);
  }
}

/** The base at the finest level of few enough faces, with its own points: those of a level come first in every finer one. */
function coarseBase(low: PolyMesh, base: BaseSurface): PolyMesh {
  let { level } = base;
  while (level > 0 && refinedFaceCount(low, level) > REACH_FACES) level--;
  const { positions } = base.mesh;
  return level === base.level ? base.mesh : { ...refineLevels({ ...low, uvs: null, faceUvs: null, colors: null }, level).mesh, positions };
}

/** Points of each surface and the tree of the other: first some of both, then the others. */
function jobsOf(base: BaseSurface, baseTree: Bvh, sculpt: Float32Array, sculptTree: Bvh, allocate: Allocate): readonly DistanceJob[] {
  const sides = [
    { points: thinned(base.mesh.positions), tree: sculptTree, verts: null, normals: null },
    { points: thinned(sculpt), tree: baseTree, verts: null, normals: null },
  ];
  return [true, false].flatMap((isFirst) =>
    sides.map((side) => ({
      ...side,
      points: placeF32(
        side.points.filter((_, i) => (Math.floor(i / 3) % FIRST === 0) === isFirst),
        allocate,
      ),
    })),
  );
}

function thinned(points: Float32Array): Float32Array {
  const P = points.length / 3;
  const step = Math.max(1, Math.floor(P / SAMPLES));
  const few = new Float32Array(3 * Math.ceil(P / step));
  for (let i = 0, o = 0; i < P; i += step) for (let k = 0; k < 3; k++) few[o++] = points[3 * i + k];
  return inSpaceOrder(few);
}
