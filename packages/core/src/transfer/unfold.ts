import type { Neighbours } from '../mesh/neighbours';
import { faceNormal } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import type { ClosestQuery } from '../spatial/closest';
import { NO_HIT } from '../spatial/ray';
import type { Hits } from './project-points';
import type { TransferTarget } from './target';

const ROUNDS = 12;

/** Faces that face against the surface under them: that of their hits, or where there are none, that they had before.
 *  @param before unit normals that the points were cast along, 3 P */
export function foldedFaces(mesh: PolyMesh, before: Float32Array, hits: Hits, target: TransferTarget): number[] {
  const folded: number[] = [];
  const n: [number, number, number] = [0, 0, 0];
  for (let f = 0; f < faceCount(mesh); f++) {
    const [x, y, z] = faceNormal(mesh, f);
    let sum = 0;
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const v = mesh.faceVerts[c];
      if (hits.triangle[v] === NO_HIT) for (let k = 0; k < 3; k++) n[k] = before[3 * v + k];
      else triangleNormal(target, hits.triangle[v], n);
      sum += x * n[0] + y * n[1] + z * n[2];
    }
    if (sum < 0) folded.push(f);
  }
  return folded;
}

/** Unit normal of a triangle of the sculpt; zero without area. */
function triangleNormal({ mesh: { positions: p }, verts }: TransferTarget, t: number, out: [number, number, number]): void {
  const [a, b, c] = [3 * verts[3 * t], 3 * verts[3 * t + 1], 3 * verts[3 * t + 2]];
  const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
  const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
  const x = uy * wz - uz * wy, y = uz * wx - ux * wz, z = ux * wy - uy * wx; // prettier-ignore
  const length = Math.sqrt(x * x + y * y + z * z);
  const by = length > 0 ? 1 / length : 0;
  out[0] = x * by;
  out[1] = y * by;
  out[2] = z * by;
}

/** Relaxes points around folded faces along the surface: to the middle of their neighbours, then back onto the sculpt where it faces as they do.
 *  Positions and hits are changed. @returns faces that are still folded */
export function unfold(
  mesh: PolyMesh,
  before: Float32Array,
  hits: Hits,
  target: TransferTarget,
  { start, points }: Neighbours,
  query: ClosestQuery,
): number[] {
  const p = mesh.positions;
  const own: [number, number, number] = [0, 0, 0];
  const there: [number, number, number] = [0, 0, 0];
  let folded = foldedFaces(mesh, before, hits, target);
  for (let round = 0; round < ROUNDS && folded.length > 0; round++) {
    const loose = new Set<number>();
    for (const f of folded)
      for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
        const v = mesh.faceVerts[c];
        loose.add(v);
        for (let i = start[v]; i < start[v + 1]; i++) loose.add(points[i]);
      }
    for (const v of loose) {
      const n = start[v + 1] - start[v];
      const middle = [0, 0, 0];
      for (let i = start[v]; i < start[v + 1]; i++) for (let k = 0; k < 3; k++) middle[k] += p[3 * points[i] + k] / n;
      if (hits.triangle[v] === NO_HIT) {
        for (let k = 0; k < 3; k++) p[3 * v + k] = middle[k];
        continue;
      }
      triangleNormal(target, hits.triangle[v], own);
      const away = own.reduce((sum, x, k) => sum + x * (middle[k] - p[3 * v + k]), 0);
      const [x, y, z] = middle.map((m, k) => m - away * own[k]);
      const far = 2 * Math.hypot(x - p[3 * v], y - p[3 * v + 1], z - p[3 * v + 2]) + 1e-12;
      if (!query.find(x, y, z, far)) continue;
      triangleNormal(target, query.triangle, there);
      if (own[0] * there[0] + own[1] * there[1] + own[2] * there[2] <= 0) continue;
      hits.triangle[v] = query.triangle;
      hits.u[v] = query.u;
      hits.v[v] = query.v;
      p[3 * v] = query.x;
      p[3 * v + 1] = query.y;
      p[3 * v + 2] = query.z;
    }
    folded = foldedFaces(mesh, before, hits, target);
  }
  return folded;
}
