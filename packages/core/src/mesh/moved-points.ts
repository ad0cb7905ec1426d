import { withOriginOf } from './local-origin';
import type { PolyMesh } from './poly-mesh';
import { faceCount } from './poly-mesh';

/** How a mesh differs from an earlier one of the same order. */
export interface MovedPoints {
  readonly count: number;
  /** Largest way, scene units. */
  readonly max: number;
  /** Point that went farthest; -1 when none moved. */
  readonly farthest: number;
  /** Faces that touch a moved point, ascending. */
  readonly faces: readonly number[];
  /** Corners whose UV changed. */
  readonly uvCorners: number;
}

const sameNumbers = (a: Uint32Array, b: Uint32Array): boolean => a.length === b.length && a.every((x, i) => x === b[i]);

/** Compares two meshes point by point. Null when points or polygons are others, or in another order: then no point has a counterpart. */
export function movedPoints(before: PolyMesh, after: PolyMesh): MovedPoints | null {
  if (
    before.positions.length !== after.positions.length ||
    !sameNumbers(before.faceOffsets, after.faceOffsets) ||
    !sameNumbers(before.faceVerts, after.faceVerts)
  )
    return null;
  const a = before.positions;
  const b = withOriginOf(after, before).positions;
  const moved = new Uint8Array(a.length / 3);
  let count = 0;
  let max = 0;
  let farthest = -1;
  for (let v = 0; v < moved.length; v++) {
    const way = Math.hypot(b[3 * v] - a[3 * v], b[3 * v + 1] - a[3 * v + 1], b[3 * v + 2] - a[3 * v + 2]);
    if (way === 0) continue;
    moved[v] = 1;
    count++;
    if (way > max) {
      max = way;
      farthest = v;
    }
  }
  const faces: number[] = [];
  for (let f = 0; count > 0 && f < faceCount(after); f++)
    for (let c = after.faceOffsets[f]; c < after.faceOffsets[f + 1]; c++)
      if (moved[after.faceVerts[c]]) {
        faces.push(f);
        break;
      }
  return { count, max, farthest, faces, uvCorners: changedUvs(before, after) };
}

function changedUvs(before: PolyMesh, after: PolyMesh): number {
  if (before.uvs === null || before.faceUvs === null || after.uvs === null || after.faceUvs === null)
    return (before.uvs === null) === (after.uvs === null) ? 0 : after.faceVerts.length;
  let n = 0;
  for (let c = 0; c < after.faceUvs.length; c++) {
    const [i, j] = [2 * before.faceUvs[c], 2 * after.faceUvs[c]];
    if (before.uvs[i] !== after.uvs[j] || before.uvs[i + 1] !== after.uvs[j + 1]) n++;
  }
  return n;
}
