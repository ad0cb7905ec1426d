/** Axis-aligned box: minimum xyz, maximum xyz. */
export type Box = readonly [number, number, number, number, number, number];

/** Points that a box is widened by in one go: a function that is called again is fast from its second call on, a single long loop is not. */
const STRIDE = 3 * 4096;

/** Box of packed points (3 P); inverted infinities when empty. */
export function boundsOf(positions: Float32Array | Float64Array): Box {
  const box: [number, number, number, number, number, number] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let from = 0; from < positions.length; from += STRIDE) widen(box, positions, from, Math.min(positions.length, from + STRIDE));
  return box;
}

function widen(box: number[], positions: Float32Array | Float64Array, from: number, to: number): void {
  let x0 = box[0], y0 = box[1], z0 = box[2], x1 = box[3], y1 = box[4], z1 = box[5]; // prettier-ignore
  for (let i = from; i < to; i += 3) {
    const x = positions[i], y = positions[i + 1], z = positions[i + 2]; // prettier-ignore
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
    if (z < z0) z0 = z;
    if (z > z1) z1 = z;
  }
  box[0] = x0;
  box[1] = y0;
  box[2] = z0;
  box[3] = x1;
  box[4] = y1;
  box[5] = z1;
}

/** Length of a box's diagonal; 0 when it is empty. */
export const boxDiagonal = ([x0, y0, z0, x1, y1, z1]: Box): number => (x1 < x0 ? 0 : Math.hypot(x1 - x0, y1 - y0, z1 - z0));

/** Length of the diagonal of the box of packed points; 0 when there are none. */
export const diagonalOf = (positions: Float32Array): number => boxDiagonal(boundsOf(positions));

/** Twice the largest distance of a point from the centre of all: near the diagonal in size, but the same however the mesh is turned. */
export function extentOf(positions: Float32Array): number {
  const P = positions.length / 3;
  if (P === 0) return 0;
  let cx = 0, cy = 0, cz = 0; // prettier-ignore
  for (let i = 0; i < positions.length; i += 3) {
    cx += positions[i] / P;
    cy += positions[i + 1] / P;
    cz += positions[i + 2] / P;
  }
  let most = 0;
  for (let i = 0; i < positions.length; i += 3)
    most = Math.max(most, (positions[i] - cx) ** 2 + (positions[i + 1] - cy) ** 2 + (positions[i + 2] - cz) ** 2);
  return 2 * Math.sqrt(most);
}

export function boxesOverlap(a: Box, b: Box, slack = 0): boolean {
  return [0, 1, 2].every((k) => a[k] - slack <= b[k + 3] && b[k] - slack <= a[k + 3]);
}
