import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount, pointCount, requireUvs } from '../mesh/poly-mesh';
import { tileOrigin } from '../uv/tiles';

/** A mesh in which every (point, UV, tile) stands alone, so that the two sides of a seam may part when displaced. */
export interface CrackedMesh {
  readonly faceVerts: Uint32Array; // C, copies
  readonly points: Uint32Array; // N: point of each copy
  readonly uvs: Float32Array; // 2 N: relative to the copy's tile
  readonly tiles: Uint16Array; // N
}

const NONE = 0xffffffff;

/** Copies in order of first appearance.
 *  @param tiles tile of each face, uint16[F] */
export function crackAtSeams(mesh: PolyMesh, tiles: Uint16Array): CrackedMesh {
  const { uvs, faceUvs } = requireUvs(mesh);
  const C = cornerCount(mesh);
  const first = new Uint32Array(pointCount(mesh)).fill(NONE);
  const next = new Uint32Array(C);
  const points = new Uint32Array(C);
  const copyUv = new Uint32Array(C);
  const copyTile = new Uint16Array(C);
  const faceVerts = new Uint32Array(C);
  let n = 0;
  for (let f = 0; f < faceCount(mesh); f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const v = mesh.faceVerts[c];
      const uv = faceUvs[c];
      let copy = first[v];
      // equal values count as one, whatever their index: a file may repeat them
      while (
        copy !== NONE &&
        !(copyTile[copy] === tiles[f] && uvs[2 * copyUv[copy]] === uvs[2 * uv] && uvs[2 * copyUv[copy] + 1] === uvs[2 * uv + 1])
      )
        copy = next[copy];
      if (copy === NONE) {
        copy = n++;
        points[copy] = v;
        copyUv[copy] = uv;
        copyTile[copy] = tiles[f];
        next[copy] = first[v];
        first[v] = copy;
      }
      faceVerts[c] = copy;
    }
  const relative = new Float32Array(2 * n);
  for (let i = 0; i < n; i++) {
    const [u0, v0] = tileOrigin(copyTile[i]);
    relative[2 * i] = uvs[2 * copyUv[i]] - u0;
    relative[2 * i + 1] = uvs[2 * copyUv[i] + 1] - v0;
  }
  return { faceVerts, points: points.slice(0, n), uvs: relative, tiles: copyTile.slice(0, n) };
}

/** Largest distance between the copies of each seam point: RMS and largest over seam points; zeros without seams.
 *  @param positions float32[3 N], displaced copies */
export function seamGap({ points }: CrackedMesh, positions: Float32Array): { rms: number; max: number } {
  const order = Uint32Array.from(points.keys()).sort((a, b) => points[a] - points[b]);
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
