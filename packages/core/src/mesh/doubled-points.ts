import { diagonalOf } from './bounds';
import type { PolyMesh } from './poly-mesh';
import { pointCount } from './poly-mesh';
import { scatter } from '../runtime/scatter';

/** Points nearer than this share of the diagonal are one place. */
export const DOUBLED_SHARE = 1e-6;
const NONE = 0xffffffff;

/** The first point within `distance` of each point, itself where there is none: uint32[P]. Linear: points are looked up in a grid, and in the
 *  neighbouring cells only where those are within the distance. Points without faces are left alone. */
export function doubledPairs(mesh: PolyMesh, distance = DOUBLED_SHARE * diagonalOf(mesh.positions)): Uint32Array {
  const { positions: p } = mesh;
  const P = pointCount(mesh);
  const out = new Uint32Array(P);
  // wide against the distance, so that few points have to look beyond their own cell, and narrow against the spacing of points on a surface
  const spacing = diagonalOf(p) / Math.sqrt(Math.max(1, P));
  // cells are counted in whole numbers, also where all points lie in one place far from zero
  const farthest = p.reduce((most, x) => Math.max(most, Math.abs(x)), 0);
  const cell = Math.max(2 * distance, Math.min(64 * distance, spacing / 2), farthest * 2 ** -40, 1e-30);
  const near = distance * distance;
  let bits = 4;
  while (1 << bits < P) bits++;
  const mask = (1 << bits) - 1;
  const first = new Uint32Array(1 << bits).fill(NONE);
  const next = new Uint32Array(P);
  const used = new Uint8Array(P);
  for (const v of mesh.faceVerts) used[v] = 1;
  // no destructuring and no calls in here: this runs for each of millions of points
  for (let v = 0; v < P; v++) {
    out[v] = v;
    if (used[v] === 0) continue;
    const x = p[3 * v];
    const y = p[3 * v + 1];
    const z = p[3 * v + 2];
    const i1 = Math.floor((x + distance) / cell);
    const j1 = Math.floor((y + distance) / cell);
    const k1 = Math.floor((z + distance) / cell);
    for (let i = Math.floor((x - distance) / cell); i <= i1; i++)
      for (let j = Math.floor((y - distance) / cell); j <= j1; j++)
        for (let k = Math.floor((z - distance) / cell); k <= k1; k++)
          for (let w = first[scatter(i, j, k) & mask]; w !== NONE; w = next[w]) {
            const dx = p[3 * w] - x;
            const dy = p[3 * w + 1] - y;
            const dz = p[3 * w + 2] - z;
            if (dx * dx + dy * dy + dz * dz <= near && out[w] < out[v]) out[v] = out[w];
          }
    const own = scatter(Math.floor(x / cell), Math.floor(y / cell), Math.floor(z / cell)) & mask;
    next[v] = first[own];
    first[own] = v;
  }
  return out;
}

/** Points that lie on another point: uint8[P], 1 for each of them. */
export function doubledPoints(mesh: PolyMesh, distance?: number): Uint8Array {
  const pairs = doubledPairs(mesh, distance);
  const out = new Uint8Array(pairs.length);
  for (let v = 0; v < pairs.length; v++) if (pairs[v] !== v) out[v] = out[pairs[v]] = 1;
  return out;
}
