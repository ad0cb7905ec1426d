import { diagonalOf } from '../mesh/bounds';
import { triangleVerts } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { BlockQuery } from '../spatial/blocked';
import { buildRayBvh } from '../spatial/bvh';
import type { FaceGraph } from './face-graph';

/** Rays an edge, spread over the half of the sky that its faces look to. */
const RAYS = 24;
/** What a seam costs in a place that nobody sees, against one in the open. */
const HIDDEN = 0.5;
/** And along an edge that bends by a right angle or more, inwards or outwards. Found on the demo's meshes and a hand: less makes seams longer. */
const HOLLOW = 0.6;
const RIDGE = 1;

/** What a seam along each edge costs: its length, less where the surface bends inwards, where it is creased, and where little sky is seen.
 *  @returns float64[E], scene units @throws CancelledError */
export function seamCost(graph: FaceGraph, control?: RunControl): Float64Array {
  const { mesh, edges, edgeFaces, passable, edgeLength, faceNormal } = graph;
  const { positions: p } = mesh;
  const tree = buildRayBvh(p, triangleVerts(mesh, graph.triangles));
  const query = new BlockQuery(tree);
  const far = diagonalOf(p);
  const directions = Array.from({ length: RAYS }, (_, i): readonly [number, number, number] => {
    // a Fibonacci lattice on the sphere
    const z = 1 - (2 * i + 1) / RAYS;
    const turn = i * Math.PI * (3 - Math.sqrt(5));
    return [Math.sqrt(1 - z * z) * Math.cos(turn), Math.sqrt(1 - z * z) * Math.sin(turn), z];
  });
  const cost = edgeLength.slice();
  for (let e = 0; e < cost.length; e++) {
    if (e % 4096 === 0) throwIfAborted(control);
    if (passable[e] === 0) continue;
    const [f, g] = [3 * edgeFaces[2 * e], 3 * edgeFaces[2 * e + 1]];
    const [nf, ng] = [unit(faceNormal, f), unit(faceNormal, g)];
    const n = [nf[0] + ng[0], nf[1] + ng[1], nf[2] + ng[2]];
    const length = Math.hypot(...n);
    const bend = Math.min(1, 1 - (nf[0] * ng[0] + nf[1] * ng[1] + nf[2] * ng[2]));
    // along the edge as the first face runs, the other face lies below its plane where the edge is a ridge
    const [a, b] = [3 * edges.edgeVerts[2 * e], 3 * edges.edgeVerts[2 * e + 1]];
    const along = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const cross =
      (nf[1] * ng[2] - nf[2] * ng[1]) * along[0] + (nf[2] * ng[0] - nf[0] * ng[2]) * along[1] + (nf[0] * ng[1] - nf[1] * ng[0]) * along[2];
    cost[e] *= 1 - (1 - (cross < 0 ? HOLLOW : RIDGE)) * bend;
    if (length < 1e-9) continue;
    const lift = 1e-4 * far;
    const [x, y, z] = [0, 1, 2].map((k) => (p[a + k] + p[b + k]) / 2 + (lift * n[k]) / length);
    let [seen, all] = [0, 0];
    for (const [dx, dy, dz] of directions) {
      const up = (dx * n[0] + dy * n[1] + dz * n[2]) / length;
      if (up <= 0.05) continue;
      all += up;
      if (!query.blocked(x, y, z, dx, dy, dz, 2 * far)) seen += up;
    }
    cost[e] *= HIDDEN + (1 - HIDDEN) * (all > 0 ? seen / all : 1);
  }
  return cost;
}

function unit(v: Float64Array, o: number): readonly [number, number, number] {
  const length = Math.hypot(v[o], v[o + 1], v[o + 2]);
  return length > 0 ? [v[o] / length, v[o + 1] / length, v[o + 2] / length] : [0, 0, 0];
}
