import type { MeshSeams } from '@estampe/core';
import { toSegment } from '@estampe/core';
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
    const distance = toSegment(at.x, at.y, a.x, a.y, b.x, b.y);
    if (distance < least) {
      least = distance;
      best = edges.cornerEdges[c];
    }
  }
  return best;
}
