import type { PolyMesh } from '../mesh/poly-mesh';
import { surfaceVerts } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Allocate, Kernel, Range, Threads } from '../runtime/threads';
import { beside, commonMemory, ownMemory, rangesOf } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildRayBvh } from '../spatial/bvh';
import { inSpaceOrder } from '../spatial/space-order';
import { rayBvhByThreads } from '../spatial/tree-by-threads';
import type { DistanceJob } from '../spatial/closest-distances';
import { closestDistances } from '../spatial/closest-distances';
import type { BaseSurface } from '../subdivision/base-surface';
import { refinedFaceCount } from '../subdivision/refine';

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

/** What a reach to a free sculpt is found from beside the sculpt's own tree. */
export interface ReachSides {
  /** Of the base's coarser faces. */
  readonly tree: Bvh;
  /** Some points of each surface, in two parts. */
  readonly base: Parts;
  readonly sculpt: Parts;
}
type Parts = readonly [Float32Array, Float32Array];

/** Automatic reach to a free sculpt: 1.5 times the 99.9th percentile of the two-way closest distance, over evenly thinned points.
 *  @param low that `base` was refined from */
export function reachToFreeSculpt(low: PolyMesh, base: BaseSurface, sculpt: Float32Array, sculptTree: Bvh): number {
  const coarse = coarseBase(low, base);
  const tree = buildRayBvh(coarse.positions, surfaceVerts(coarse));
  const jobs = jobsOf({ tree, base: thinned(base.mesh.positions, ownMemory), sculpt: thinned(sculpt, ownMemory) }, sculptTree);
  const farthest = new Farthest(jobs);
  for (const job of jobs) farthest.add(closestDistances.run({ ...job, floor: farthest.least }, wholeOf(job)).distances);
  return farthest.reach;
}

/** What `reachByThreads` wants to know, and can be made while the sculpt's tree is still built. @throws CancelledError */
export async function reachSides(
  low: PolyMesh,
  base: BaseSurface,
  sculpt: Float32Array,
  threads: Threads,
  control?: RunControl,
): Promise<ReachSides> {
  // the caller's own thread has tasks to give to the others, and must not be busy for long
  const thin = (points: Float32Array): Promise<Parts> => beside(thinPoints, null, points, threads, control);
  const coarse = coarseBase(low, base);
  const [tree, ofBase, ofSculpt] = await Promise.all([
    rayBvhByThreads(coarse.positions, surfaceVerts(coarse), threads, stopOf(control)),
    thin(base.mesh.positions),
    thin(sculpt),
  ]);
  return { tree, base: ofBase, sculpt: ofSculpt };
}

export const thinPoints: Kernel<null, Float32Array, Parts> = {
  name: 'thin-points',
  run: (_, points) => thinned(points, commonMemory),
};

/** The same as `reachToFreeSculpt`, by all threads. @throws CancelledError */
export async function reachByThreads(sides: ReachSides, sculptTree: Bvh, threads: Threads, control?: RunControl): Promise<number> {
  const jobs = jobsOf(sides, sculptTree);
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

/** Points of a task: what is measured first must do for all threads. */
const TASK = 2048;
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

/** The base at the finest level of few enough faces, with its own points: those of a level come first in every finer one, and where a corner was
 *  split, the first of the faces there begins at its point. */
function coarseBase(low: PolyMesh, { mesh, level }: BaseSurface): PolyMesh {
  let coarse = level;
  while (coarse > 0 && refinedFaceCount(low, coarse) > REACH_FACES) coarse--;
  const step = 4 ** (level - coarse);
  const faceVerts = new Uint32Array(mesh.faceVerts.length / step);
  for (let c = 0; c < faceVerts.length; c++) faceVerts[c] = mesh.faceVerts[step * c];
  const faceOffsets = coarse === 0 ? low.faceOffsets : mesh.faceOffsets.subarray(0, faceVerts.length / 4 + 1);
  return { ...mesh, faceOffsets, faceVerts, uvs: null, faceUvs: null, colors: null };
}

/** Points of each surface and the tree of the other: first some of both, then the others. */
function jobsOf({ tree, base, sculpt }: ReachSides, sculptTree: Bvh): readonly DistanceJob[] {
  const sides = [
    { parts: base, tree: sculptTree },
    { parts: sculpt, tree },
  ];
  return [0, 1].flatMap((part) => sides.map((side) => ({ points: side.parts[part], tree: side.tree, verts: null, normals: null })));
}

/** Some points of a surface in two parts, each in the order of a curve that fills space. */
function thinned(points: Float32Array, allocate: Allocate): Parts {
  const P = points.length / 3;
  const step = Math.max(1, Math.floor(P / SAMPLES));
  const few = new Float32Array(3 * Math.ceil(P / step));
  for (let i = 0, o = 0; i < P; i += step) for (let k = 0; k < 3; k++) few[o++] = points[3 * i + k];
  const ordered = inSpaceOrder(few);
  const count = few.length / 3;
  const first = new Float32Array(allocate(12 * Math.ceil(count / FIRST)));
  const others = new Float32Array(allocate(few.byteLength - first.byteLength));
  for (let i = 0, a = 0, b = 0; i < count; i++)
    for (let k = 0; k < 3; k++)
      if (i % FIRST === 0) first[a++] = ordered[3 * i + k];
      else others[b++] = ordered[3 * i + k];
  return [first, others];
}
