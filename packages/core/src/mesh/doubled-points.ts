import { diagonalOf } from './bounds';
import type { PolyMesh } from './poly-mesh';
import { pointCount } from './poly-mesh';

/** Points nearer than this share of the diagonal are one place. */
export const DOUBLED_SHARE = 1e-6;
const NONE = 0xffffffff;

/** The first point within `distance` of each point, itself where there is none: uint32[P]. Linear: points are looked up in a grid of cells of
 *  twice the distance, and in the neighbouring cells only where those are within it. Points without faces are left alone. */
export function doubledPairs(mesh: PolyMesh, distance = DOUBLED_SHARE * diagonalOf(mesh.positions)): Uint32Array {
  const { positions: p } = mesh;
  const P = pointCount(mesh);
  const out = Uint32Array.from({ length: P }, (_, v) => v);
  const cell = 2 * Math.max(distance, 1e-30);
  let bits = 4;
  while (1 << bits < 2 * P) bits++;
  const mask = (1 << bits) - 1;
  const first = new Uint32Array(1 << bits).fill(NONE);
  const next = new Uint32Array(P);
  const slot = (x: number, y: number, z: number): number => {
    const h = Math.imul(x | 0, 0x9e3779b1) ^ Math.imul(y | 0, 0x85ebca6b) ^ Math.imul(z | 0, 0xc2b2ae35);
    return (h ^ (h >>> 15)) & mask;
  };
  const at = (x: number): number => Math.floor(x / cell);
  const used = new Uint8Array(P);
  for (const v of mesh.faceVerts) used[v] = 1;
  for (let v = 0; v < P; v++) {
    if (used[v] === 0) continue;
    const [x, y, z] = [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
    for (let i = at(x - distance); i <= at(x + distance); i++)
      for (let j = at(y - distance); j <= at(y + distance); j++)
        for (let k = at(z - distance); k <= at(z + distance); k++)
          for (let w = first[slot(i, j, k)]; w !== NONE; w = next[w])
            if ((p[3 * w] - x) ** 2 + (p[3 * w + 1] - y) ** 2 + (p[3 * w + 2] - z) ** 2 <= distance * distance)
              out[v] = Math.min(out[v], out[w]);
    const own = slot(at(x), at(y), at(z));
    next[v] = first[own];
    first[own] = v;
  }
  return out;
}

/** Points that lie on another point: uint8[P], 1 for each of them. */
export function doubledPoints(mesh: PolyMesh, distance?: number): Uint8Array {
  const pairs = doubledPairs(mesh, distance);
  const out = new Uint8Array(pairs.length);
  pairs.forEach((first, v) => {
    if (first !== v) out[v] = out[first] = 1;
  });
  return out;
}
