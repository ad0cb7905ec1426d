import type { ClosestQuery } from '../spatial/closest';

/** Places that the distance is measured at, and the share of them that the reach is to cover. */
const MEASURED_AT = 20_000;
const COVERED = 0.999;
const RESERVE = 1.5;

/** How far to search from points along their normals: well beyond nearly every place's distance, and never less than an edge. Scene units.
 *  @param points 3 P @param query of the sculpt */
export function reachOver(points: Float32Array, edge: number, query: ClosestQuery): number {
  const P = points.length / 3;
  const step = Math.max(1, Math.floor(P / MEASURED_AT));
  const distances: number[] = [];
  for (let v = 0; v < P; v += step) {
    query.find(points[3 * v], points[3 * v + 1], points[3 * v + 2]);
    distances.push(Math.sqrt(query.distance2));
  }
  distances.sort((a, b) => a - b);
  return Math.max(edge, RESERVE * (distances[Math.min(distances.length - 1, Math.floor(COVERED * distances.length))] ?? 0));
}
