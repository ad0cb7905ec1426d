import type { Kernel } from '../runtime/threads';
import type { Bvh } from './bvh';
import { ClosestQuery } from './closest';
import { NO_HIT } from './ray';

/** Points and the surface that they are measured against. */
export interface DistanceJob {
  readonly points: Float32Array; // 3 N
  readonly tree: Bvh;
  /** Points of the target's triangles (3 T) and their unit normals (3 P): then the answer has normals and signs. */
  readonly verts: Uint32Array | null;
  readonly normals: Float32Array | null;
  /** From this point on the answer has the normals too; 0 where left out. */
  readonly normalsFrom?: number;
  /** Without normals: what lies nearer than this need not be measured exactly, the answer only says that it does. 0 where left out. */
  readonly floor?: number;
}

export interface DistanceTask {
  readonly from: number;
  readonly to: number;
}

export interface DistanceResult {
  /** Distance of each point; negative below the target's normal when normals are given. */
  readonly distances: Float32Array;
  /** Interpolated, unnormalised normal of the target at the closest point, of the points that it is wanted for; empty when not asked for. */
  readonly normals: Float32Array;
}

export const closestDistances: Kernel<DistanceJob, DistanceTask, DistanceResult> = {
  name: 'closest-distances',
  run({ points, tree, verts, normals, normalsFrom = 0, floor = 0 }, { from, to }) {
    const query = new ClosestQuery(tree);
    const distances = new Float32Array(to - from);
    const first = Math.max(from, normalsFrom);
    const out = new Float32Array(normals === null ? 0 : 3 * Math.max(0, to - first));
    const up = new Float32Array(3);
    for (let i = from; i < to; i++) {
      const x = points[3 * i];
      const y = points[3 * i + 1];
      const z = points[3 * i + 2];
      if (floor > 0 && query.slot !== NO_HIT) {
        // the last answer's point lies on the surface, which is no farther away
        const near2 = (x - query.x) ** 2 + (y - query.y) ** 2 + (z - query.z) ** 2;
        if (near2 < floor * floor) {
          distances[i - from] = Math.sqrt(near2);
          continue;
        }
      }
      query.find(x, y, z);
      const d = Math.sqrt(query.distance2);
      distances[i - from] = d;
      if (verts === null || normals === null) continue;
      const t = 3 * query.triangle;
      const a = 3 * verts[t];
      const b = 3 * verts[t + 1];
      const c = 3 * verts[t + 2];
      const wa = 1 - query.u - query.v;
      for (let k = 0; k < 3; k++) up[k] = wa * normals[a + k] + query.u * normals[b + k] + query.v * normals[c + k];
      if ((x - query.x) * up[0] + (y - query.y) * up[1] + (z - query.z) * up[2] < 0) distances[i - from] = -d;
      if (i >= first) out.set(up, 3 * (i - first));
    }
    return { distances, normals: out };
  },
};
