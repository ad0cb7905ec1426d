import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import type { Triangles } from '../mesh/triangulate';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { placeF32, placeU32 } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildRayBvh } from '../spatial/bvh';
import type { DistanceResult } from '../spatial/closest-distances';
import { closestDistances } from '../spatial/closest-distances';
import type { Figures } from './statistics';
import { pooledQuantile, weightedFigures } from './statistics';
import type { SurfaceSamples, ThinSamples } from '../mesh/surface-samples';
import { surfaceSamples, thinnedSamples } from '../mesh/surface-samples';

/** A surface made ready to be measured from and against. */
export interface ComparedSurface {
  readonly triangles: Triangles;
  readonly verts: Uint32Array; // 3 T
  readonly samples: SurfaceSamples;
  readonly tree: Bvh;
  readonly normals: Float32Array; // 3 P, unit; empty where nobody asks for them
}

/** Where only distances are asked for. */
export const NO_NORMALS = new Float32Array(0);

export function comparedSurface(mesh: PolyMesh, threads: Threads, normals = vertexNormals(mesh)): ComparedSurface {
  const triangles = triangulate(mesh);
  const verts = placeU32(triangleVerts(mesh, triangles), threads.allocate);
  const samples = surfaceSamples(mesh.positions, triangles, verts, faceCount(mesh));
  return {
    triangles,
    verts,
    samples: { ...samples, points: placeF32(samples.points, threads.allocate) },
    tree: buildRayBvh(mesh.positions, verts, threads.allocate),
    normals: placeF32(normals, threads.allocate),
  };
}

/** Distances in scene units; pooled figures give each direction half the weight. */
export interface TwoWayDistance extends Figures {
  readonly p95: number;
  readonly p99: number;
  readonly toSculpt: { readonly rms: number; readonly max: number };
  readonly toProof: { readonly rms: number; readonly max: number };
}

export interface Comparison {
  readonly distance: TwoWayDistance;
  /** Signed by the sculpt's normal: per sample of the proof. */
  readonly toSculpt: DistanceResult;
  /** Per sample of the sculpt. */
  readonly toProof: Float32Array;
}

const TASK = 16384;

async function measure(
  { points }: Pick<ThinSamples, 'points'>,
  to: ComparedSurface,
  withNormals: boolean,
  threads: Threads,
  control: RunControl,
): Promise<DistanceResult> {
  const n = points.length / 3;
  const distances = new Float32Array(n);
  const normals = new Float32Array(withNormals ? 3 * n : 0);
  const tasks = Array.from({ length: Math.ceil(n / TASK) }, (_, i) => ({ from: i * TASK, to: Math.min(n, (i + 1) * TASK) }));
  await threads.run(
    closestDistances,
    { points, tree: to.tree, verts: withNormals ? to.verts : null, normals: withNormals ? to.normals : null },
    tasks,
    (result, i) => {
      distances.set(result.distances, tasks[i].from);
      if (withNormals) normals.set(result.normals, 3 * tasks[i].from);
    },
    control,
  );
  return { distances, normals };
}

/** Two-way distance between a proof and the sculpt. */
export async function compareSurfaces(
  proof: ComparedSurface,
  sculpt: ComparedSurface,
  withNormals: boolean,
  threads: Threads,
  control?: RunControl,
): Promise<Comparison> {
  const toSculpt = await measure(proof.samples, sculpt, withNormals, threads, subProgress(control, 0, 0.5));
  const { distances: toProof } = await measure(sculpt.samples, proof, false, threads, subProgress(control, 0.5, 1));
  return { distance: twoWay(toSculpt.distances, proof.samples.weights, toProof, sculpt.samples.weights), toSculpt, toProof };
}

/** The same from a part of very many places, for what is far from the sculpt and only to be compared with. Of a normal spread the RMS of n places is
 *  known to 1 / sqrt(2 n): to a thousandth here. */
export async function roughDistance(
  proof: ComparedSurface,
  sculpt: ComparedSurface,
  threads: Threads,
  control?: RunControl,
): Promise<TwoWayDistance> {
  const own = placed(thinnedSamples(proof.samples, MOST_ROUGH), threads);
  const theirs = placed(thinnedSamples(sculpt.samples, MOST_ROUGH), threads);
  const toSculpt = await measure(own, sculpt, false, threads, subProgress(control, 0, 0.5));
  const toProof = await measure(theirs, proof, false, threads, subProgress(control, 0.5, 1));
  return twoWay(toSculpt.distances, own.weights, toProof.distances, theirs.weights);
}
/** Places of each side that a rough distance is measured at. */
export const MOST_ROUGH = 500_000;
const placed = ({ points, weights }: ThinSamples, { allocate }: Threads): ThinSamples => ({ points: placeF32(points, allocate), weights });

function twoWay(toSculpt: Float32Array, proofWeights: Float64Array, toProof: Float32Array, sculptWeights: Float64Array): TwoWayDistance {
  const a = weightedFigures(toSculpt, proofWeights);
  const b = weightedFigures(toProof, sculptWeights);
  const sets = [
    { values: toSculpt, weights: proofWeights },
    { values: toProof, weights: sculptWeights },
  ];
  return {
    mean: (a.mean + b.mean) / 2,
    rms: Math.sqrt((a.rms ** 2 + b.rms ** 2) / 2),
    p95: pooledQuantile(sets, 0.95),
    p99: pooledQuantile(sets, 0.99),
    max: Math.max(a.max, b.max),
    toSculpt: { rms: a.rms, max: a.max },
    toProof: { rms: b.rms, max: b.max },
  };
}
