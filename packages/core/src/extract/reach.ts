import type { PolyMesh } from '../mesh/poly-mesh';
import { surfaceVerts } from '../mesh/triangulate';
import type { Bvh } from '../spatial/bvh';
import { buildBvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';
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

/** Automatic reach to a free sculpt: 1.5 times the 99.9th percentile of the two-way closest distance, over evenly thinned points.
 *  @param low that `base` was refined from */
export function reachToFreeSculpt(low: PolyMesh, base: BaseSurface, sculpt: Float32Array, sculptTree: Bvh): number {
  const { positions } = base.mesh;
  let { level } = base;
  while (level > 0 && refinedFaceCount(low, level) > REACH_FACES) level--;
  // points of a level come first in every finer one
  const coarse = level === base.level ? base.mesh : refineLevels({ ...low, uvs: null, faceUvs: null, colors: null }, level).mesh;
  const baseTree = buildBvh(positions, surfaceVerts(coarse));
  const distances = [...closestDistances(positions, sculptTree), ...closestDistances(sculpt, baseTree)].sort((a, b) => a - b);
  return 1.5 * (distances[Math.min(distances.length - 1, Math.floor(0.999 * distances.length))] ?? 0);
}

function closestDistances(points: Float32Array, tree: Bvh): number[] {
  const query = new ClosestQuery(tree);
  const P = points.length / 3;
  const step = Math.max(1, Math.floor(P / SAMPLES));
  const out: number[] = [];
  for (let i = 0; i < P; i += step) {
    query.find(points[3 * i], points[3 * i + 1], points[3 * i + 2]);
    out.push(Math.sqrt(query.distance2));
  }
  return out;
}
