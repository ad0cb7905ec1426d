import type { LinkedCorners } from './linked-corners';
import { NO_CORNER } from './across-edges';

/** Places that the distance of a match is measured at; nearness differs by edges' lengths, so more say nothing more. */
export const MOST_MEASURED = 100_000;
const SIDES = [0, 1, 2, 3];

/** How one piece of quads lies on another. */
interface LaidPiece {
  readonly a: LinkedCorners;
  readonly b: LinkedCorners;
  /** Corner of b on each of a's. */
  readonly corners: Uint32Array;
  /** Corners of a, face by face; each face but the first begins with the one across an edge of a face before. */
  readonly order: Uint32Array;
  /** Room for which corner of each face lies as the first face's does: uint8[F], overwritten where the piece is. */
  readonly headings: Uint8Array;
}

/** Where a piece of quads would come to lie nearer if it were pushed by one face over the one it lies on, without being turned: found by carrying
 *  the first face's directions across the edges, instead of laying everything again for each direction. A first look: whether the piece fits
 *  there, only laying tells.
 *
 *  @param start corner of a that was laid first  @returns corner of b to lay it on; null where nothing is nearer than what there is */
export function nearerPush({ a, b, corners, order, headings }: LaidPiece, start: number): number | null {
  headingsInto(headings, a, order, start);
  const step = 4 * Math.max(1, Math.floor(order.length / (4 * MOST_MEASURED)));
  const { positions: p, faceVerts: vertsA } = a.mesh;
  const { positions: q, faceVerts: vertsB } = b.mesh;
  const off2 = (va: number, vb: number): number =>
    (p[3 * va] - q[3 * vb]) ** 2 + (p[3 * va + 1] - q[3 * vb + 1]) ** 2 + (p[3 * va + 2] - q[3 * vb + 2]) ** 2;
  let here = 0;
  const pushed = [0, 0, 0, 0];
  for (let i = 0; i < order.length; i += step) {
    const face = order[i] & ~3;
    const corner = face + headings[face >>> 2];
    here += off2(vertsA[corner], vertsB[corners[corner]]);
    for (const side of SIDES) {
      const over = pushedOver(b, corners[corner], side);
      pushed[side] += over === NO_CORNER ? Infinity : off2(vertsA[corner], vertsB[over]);
    }
  }
  const side = pushed.indexOf(Math.min(...pushed));
  return pushed[side] < here ? pushedOver(b, corners[start], side) : null;
}

/** Where a corner of a quad goes when everything is pushed over a side of its face, counted from the corner: 0 to 3. NO_CORNER over a border. */
export function pushedOver({ across }: LinkedCorners, corner: number, side: number): number {
  const over = across[(corner & ~3) + ((corner + side) & 3)];
  // the edge that is crossed lies opposite to where it was
  return over === NO_CORNER ? NO_CORNER : ((over & ~3) + ((over + 2 - side) & 3)) >>> 0;
}

/** Which corner of each face of a piece lies as the first face's does, 0 to 3. */
function headingsInto(out: Uint8Array, { across }: LinkedCorners, order: Uint32Array, start: number): void {
  out[start >>> 2] = start & 3;
  for (let i = 4; i < order.length; i += 4) {
    const from = across[order[i]];
    const side = from - out[from >>> 2];
    out[order[i] >>> 2] = (order[i] + 2 - side) & 3;
  }
}
