import type { Bvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';

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

/** Automatic reach to a free sculpt: 1.5 times the 99.9th percentile of the two-way closest distance, over evenly thinned points. */
export function reachToFreeSculpt(base: Float32Array, baseTree: Bvh, sculpt: Float32Array, sculptTree: Bvh): number {
  const distances = [...closestDistances(base, sculptTree), ...closestDistances(sculpt, baseTree)].sort((a, b) => a - b);
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
