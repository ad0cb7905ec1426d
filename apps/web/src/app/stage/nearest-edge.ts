import type { MeshSeams } from '@estampe/core';
import type { ScreenPoint } from './lasso';

/** Edge of a face that is nearest to a place on the screen. @param placeOf where a point of the mesh is on the screen */
export function nearestEdge(
  { faceOffsets, faceVerts, edges }: MeshSeams,
  face: number,
  at: ScreenPoint,
  placeOf: (point: number) => ScreenPoint,
): number {
  let best = -1;
  let least = Infinity;
  for (let c = faceOffsets[face]; c < faceOffsets[face + 1]; c++) {
    const a = placeOf(faceVerts[c]);
    const b = placeOf(faceVerts[c + 1 === faceOffsets[face + 1] ? faceOffsets[face] : c + 1]);
    const distance = toSegment(at, a, b);
    if (distance < least) {
      least = distance;
      best = edges.cornerEdges[c];
    }
  }
  return best;
}

function toSegment(p: ScreenPoint, a: ScreenPoint, b: ScreenPoint): number {
  const [dx, dy] = [b.x - a.x, b.y - a.y];
  const length2 = dx * dx + dy * dy;
  const t = length2 === 0 ? 0 : Math.min(1, Math.max(0, ((p.x - a.x) * dx + (p.y - a.y) * dy) / length2));
  return Math.hypot(p.x - a.x - t * dx, p.y - a.y - t * dy);
}
