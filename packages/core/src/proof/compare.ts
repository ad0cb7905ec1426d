import { vertexNormals } from '../mesh/normals';
import type { Faces, PolyMesh } from '../mesh/poly-mesh';
import { surfaceVerts } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { stopOf, subProgress } from '../runtime/progress';
import type { Allocate, Kernel, Threads } from '../runtime/threads';
import { beside, commonMemory, placeF32, rangesOf, seenByAll, untold } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { rayBvhByThreads } from '../spatial/tree-by-threads';
import { TreeLender } from '../spatial/tree-lender';
import type { DistanceResult } from '../spatial/closest-distances';
import { closestDistances } from '../spatial/closest-distances';
import type { Figures } from './statistics';
import { pooledQuantiles, weightedFigures } from './statistics';
import type { SurfaceSamples, ThinSamples } from '../mesh/surface-samples';
import { surfaceSamples, thinnedSamples } from '../mesh/surface-samples';

/** A surface made ready to be measured from, and with a tree over its triangles against. */
export interface ComparedSurface {
  readonly positions: Float32Array; // 3 P
  readonly verts: Uint32Array; // 3 T
  readonly samples: SurfaceSamples;
  readonly normals: Float32Array; // 3 P, unit; empty where nobody asks for them
}

/** Of a surface that nobody asks for normals. */
export const NO_NORMALS = new Float32Array(0);

export const comparedSurface = (mesh: PolyMesh, threads: Threads, normals = vertexNormals(mesh, threads.allocate)): ComparedSurface => ({
  ...placesOf(mesh, false, threads.allocate),
  positions: mesh.positions,
  normals: seenByAll(normals, threads.allocate),
});

/** The same but for its normals on another thread, while the caller goes on with something else.
 *  @param isFacing whether it will be asked how it faces @throws CancelledError */
export function placesBeside(
  { positions, faceOffsets, faceVerts }: Faces,
  isFacing: boolean,
  threads: Threads,
  control?: RunControl,
): Promise<ComparedSurface> {
  // the rest of a mesh need not be copied for it
  const mesh = { positions, faceOffsets, faceVerts };
  return untold(
    beside(comparedPlaces, null, { mesh, isFacing }, threads, control).then((places) => ({
      ...places,
      // the first of its places are its points: in memory that a tree is built from
      positions: places.samples.points.subarray(0, positions.length),
      normals: NO_NORMALS,
    })),
  );
}

type Places = Pick<ComparedSurface, 'verts' | 'samples'>;

export const comparedPlaces: Kernel<null, { readonly mesh: Faces; readonly isFacing: boolean }, Places> = {
  name: 'compared-places',
  run: (_, { mesh, isFacing }) => placesOf(mesh, isFacing, commonMemory),
};

function placesOf(mesh: Faces, isFacing: boolean, allocate: Allocate): Places {
  const verts = surfaceVerts(mesh, allocate);
  return { verts, samples: surfaceSamples(mesh.positions, mesh.faceOffsets, verts, allocate, isFacing) };
}

/** Places that a surface is measured at. */
export interface AskedPlaces {
  readonly points: Float32Array; // 3 N
  /** Whether distances are signed by the normals of what is measured against, and from which place on those normals are wanted too; null: neither. */
  readonly normalsFrom: number | null;
}

/** Distances of places to a surface, whose tree is there no longer than it takes: at film size it is the largest thing in memory.
 *  @param places may still be made while the tree is built @returns an answer for each of them */
export const distancesTo = (
  surface: ComparedSurface,
  places: readonly AskedPlaces[] | Promise<readonly AskedPlaces[]>,
  trees: TreeLender,
  threads: Threads,
  control?: RunControl,
): Promise<DistanceResult[]> =>
  trees.lend(
    surface.positions,
    surface.verts,
    async (tree) => distancesToTree(surface, tree, await places, threads, control),
    stopOf(control),
  );

async function distancesToTree(
  surface: ComparedSurface,
  tree: Bvh,
  places: readonly AskedPlaces[],
  threads: Threads,
  control?: RunControl,
): Promise<DistanceResult[]> {
  const total = places.reduce((n, { points }) => n + points.length, 0);
  let before = 0;
  const results: DistanceResult[] = [];
  for (const asked of places) {
    const after = before + asked.points.length;
    results.push(await measure(asked, surface, tree, threads, subProgress(control, before / total, after / total)));
    before = after;
  }
  return results;
}

/** Distances in scene units; pooled figures give each direction half the weight. */
export interface TwoWayDistance extends Figures {
  readonly p95: number;
  readonly p99: number;
  readonly toSculpt: { readonly rms: number; readonly max: number };
  readonly toProof: { readonly rms: number; readonly max: number };
}

const TASK = 16384;

async function measure(
  { points, normalsFrom }: AskedPlaces,
  to: ComparedSurface,
  tree: Bvh,
  threads: Threads,
  control: RunControl,
): Promise<DistanceResult> {
  const n = points.length / 3;
  const from = normalsFrom ?? n;
  const distances = new Float32Array(threads.allocate(4 * n));
  const normals = new Float32Array(threads.allocate(12 * (n - from)));
  const tasks = rangesOf(n, TASK);
  const signed = normalsFrom !== null;
  await threads.run(
    closestDistances,
    { points, tree, verts: signed ? to.verts : null, normals: signed ? to.normals : null, normalsFrom: from },
    tasks,
    (result, i) => {
      distances.set(result.distances, tasks[i].from);
      if (result.normals.length > 0) normals.set(result.normals, 3 * (Math.max(from, tasks[i].from) - from));
    },
    control,
  );
  return { distances, normals };
}

/** Where only distances are asked for. */
export const unsigned = ({ points }: Pick<ThinSamples, 'points'>): AskedPlaces => ({ points, normalsFrom: null });

/** Two-way distances of several surfaces, one after another, from one that they are all compared with. */
export class ComparedWith {
  /** Built when it is first asked for. */
  private tree: Bvh | null = null;
  private readonly trees: TreeLender;

  constructor(
    private readonly sculpt: ComparedSurface,
    private readonly threads: Threads,
  ) {
    this.trees = new TreeLender(threads);
  }

  async distance(proof: ComparedSurface, control?: RunControl): Promise<TwoWayDistance> {
    const { sculpt, trees, threads } = this;
    this.tree ??= await rayBvhByThreads(sculpt.positions, sculpt.verts, threads, stopOf(control));
    const [toSculpt] = await distancesToTree(sculpt, this.tree, [unsigned(proof.samples)], threads, subProgress(control, 0, 0.5));
    const [toProof] = await distancesTo(proof, [unsigned(sculpt.samples)], trees, threads, subProgress(control, 0.5, 1));
    return twoWay({
      toSculpt: toSculpt.distances,
      proofWeights: proof.samples.weights,
      toProof: toProof.distances,
      sculptWeights: sculpt.samples.weights,
    });
  }
}

/** A part of very many places, for what is far from the sculpt and only to be compared with. Of a normal spread the RMS of n places is
 *  known to 1 / sqrt(2 n): to a thousandth here. */
export function roughly(samples: ThinSamples, { allocate }: Threads): ThinSamples & AskedPlaces {
  const { points, weights } = thinnedSamples(samples, MOST_ROUGH);
  return { points: placeF32(points, allocate), weights, normalsFrom: null };
}
/** Places of each side that a rough distance is measured at. */
export const MOST_ROUGH = 500_000;

/** Distances in both directions, and the area that each stands for. */
export interface BothWays {
  /** Of the proof's places; signs do not count. */
  readonly toSculpt: Float32Array;
  readonly proofWeights: Float64Array;
  /** Of the sculpt's places. */
  readonly toProof: Float32Array;
  readonly sculptWeights: Float64Array;
}

export const twoWayFigures: Kernel<null, BothWays, TwoWayDistance> = { name: 'two-way-figures', run: (_, both) => twoWay(both) };

/** `twoWay` on another thread. @throws CancelledError */
export const twoWayBeside = (both: BothWays, threads: Threads, control?: RunControl): Promise<TwoWayDistance> =>
  beside(twoWayFigures, null, both, threads, control);

export function twoWay({ toSculpt, proofWeights, toProof, sculptWeights }: BothWays): TwoWayDistance {
  const a = weightedFigures(toSculpt, proofWeights);
  const b = weightedFigures(toProof, sculptWeights);
  const sets = [
    { values: toSculpt, weights: proofWeights },
    { values: toProof, weights: sculptWeights },
  ];
  const [p95, p99] = pooledQuantiles(sets, [0.95, 0.99]);
  return {
    mean: (a.mean + b.mean) / 2,
    rms: Math.sqrt((a.rms ** 2 + b.rms ** 2) / 2),
    p95,
    p99,
    max: Math.max(a.max, b.max),
    toSculpt: { rms: a.rms, max: a.max },
    toProof: { rms: b.rms, max: b.max },
  };
}
