import type { PolyMesh } from './poly-mesh';

/** Faces that are looked at: enough for a mean. */
const LOOKED_AT = 50_000;

/** Mean length of a mesh's edges, scene units; of evenly spread faces where there are very many. 0 for a mesh without faces. */
export function meanEdgeLength({ positions: p, faceOffsets, faceVerts }: PolyMesh): number {
  const F = faceOffsets.length - 1;
  const stride = Math.max(1, Math.floor(F / LOOKED_AT));
  let sum = 0;
  let count = 0;
  for (let f = 0; f < F; f += stride)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      const a = 3 * faceVerts[c];
      const b = 3 * faceVerts[c + 1 < faceOffsets[f + 1] ? c + 1 : faceOffsets[f]];
      sum += Math.hypot(p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]);
      count++;
    }
  return count === 0 ? 0 : sum / count;
}
