import type { PolyMesh } from '../mesh/poly-mesh';
import { requireUvs } from '../mesh/poly-mesh';
import type { Allocate } from '../runtime/threads';
import { splitCopies } from '../uv/copies';
import { tileOrigin } from '../uv/tiles';

/** A mesh in which every (point, UV, tile) stands alone, so that the two sides of a seam may part when displaced. */
export interface CrackedMesh {
  readonly faceVerts: Uint32Array; // C, copies
  readonly points: Uint32Array; // N: point of each copy
  readonly uvs: Float32Array; // 2 N: relative to the copy's tile
  readonly tiles: Uint16Array; // N
}

/** Copies in order of first appearance.
 *  @param tiles tile of each face, uint16[F] @param allocate gives the memory of `faceVerts` */
export function crackAtSeams(mesh: PolyMesh, tiles: Uint16Array, allocate?: Allocate): CrackedMesh {
  const { faceVerts, points, uvs, tags } = splitCopies(mesh, tiles, allocate);
  const values = requireUvs(mesh).uvs;
  const relative = new Float32Array(2 * points.length);
  for (let i = 0; i < points.length; i++) {
    const [u0, v0] = tileOrigin(tags[i]);
    relative[2 * i] = values[2 * uvs[i]] - u0;
    relative[2 * i + 1] = values[2 * uvs[i] + 1] - v0;
  }
  return { faceVerts, points, uvs: relative, tiles: tags };
}

/** Largest distance between the copies of each seam point: RMS and largest over seam points; zeros without seams.
 *  @param positions float32[3 N], displaced copies */
export function seamGap({ points }: CrackedMesh, positions: Float32Array): { rms: number; max: number } {
  let most = 0;
  for (let i = 0; i < points.length; i++) if (points[i] > most) most = points[i];
  const copies = new Uint32Array(most + 1);
  for (let i = 0; i < points.length; i++) copies[points[i]]++;
  let doubled = 0;
  for (let i = 0; i < points.length; i++) if (copies[points[i]] > 1) doubled++;
  const order = new Uint32Array(doubled);
  for (let i = points.length - 1; i >= 0; i--) if (copies[points[i]] > 1) order[--doubled] = i;
  order.sort((a, b) => points[a] - points[b]);
  let sum = 0;
  let count = 0;
  let max = 0;
  for (let i = 0; i < order.length;) {
    let j = i + 1;
    while (j < order.length && points[order[j]] === points[order[i]]) j++;
    if (j - i > 1) {
      let worst = 0;
      for (let a = i; a < j; a++)
        for (let b = a + 1; b < j; b++) {
          const p = 3 * order[a];
          const q = 3 * order[b];
          worst = Math.max(
            worst,
            (positions[p] - positions[q]) ** 2 + (positions[p + 1] - positions[q + 1]) ** 2 + (positions[p + 2] - positions[q + 2]) ** 2,
          );
        }
      sum += worst;
      count++;
      max = Math.max(max, worst);
    }
    i = j;
  }
  return { rms: count === 0 ? 0 : Math.sqrt(sum / count), max: Math.sqrt(max) };
}
