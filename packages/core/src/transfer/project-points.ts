import type { Kernel } from '../runtime/threads';
import { LineQuery, NO_HIT } from '../spatial/ray';
import type { Choices, TargetTree } from './target';

export interface ProjectJob {
  readonly points: Float32Array; // 3 N
  readonly normals: Float32Array; // 3 N; (0, 0, 0) gets no answer
  readonly trees: readonly TargetTree[];
  readonly choices: Choices;
  readonly reach: number;
}
export interface ProjectTask {
  readonly from: number;
  readonly to: number;
}
/** Hits of points along their normals. */
export interface Hits {
  readonly t: Float32Array; // N, along the unit normal
  readonly triangle: Uint32Array; // N, NO_HIT without an answer
  readonly u: Float32Array; // N, weights of the triangle's second and third corner
  readonly v: Float32Array;
}

export const noHits = (n: number): Hits => ({
  t: new Float32Array(n),
  triangle: new Uint32Array(n).fill(NO_HIT),
  u: new Float32Array(n),
  v: new Float32Array(n),
});

/** Both ways along the normal: the nearest hit within reach on a side of the sculpt that faces as the point does. */
export const projectPoints: Kernel<ProjectJob, ProjectTask, Hits> = {
  name: 'project-points',
  run({ points, normals, trees, choices, reach }, { from, to }) {
    const queries = trees.map(({ tree }) => new LineQuery(tree));
    const hits = noHits(to - from);
    for (let i = from; i < to; i++) {
      const [o, k] = [3 * i, i - from];
      const [nx, ny, nz] = [normals[o], normals[o + 1], normals[o + 2]];
      if (nx === 0 && ny === 0 && nz === 0) continue;
      let within = reach;
      for (const n of choices.trees[choices.which[i]]) {
        const line = queries[n];
        if (!line.nearest(points[o], points[o + 1], points[o + 2], nx, ny, nz, 0, -within, within, 'along')) continue;
        within = Math.abs(line.t);
        const { ids } = trees[n];
        hits.t[k] = line.t;
        hits.triangle[k] = ids === null ? line.triangle : ids[line.triangle];
        hits.u[k] = line.u;
        hits.v[k] = line.v;
      }
    }
    return hits;
  },
};
