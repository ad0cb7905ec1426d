/** Axis-aligned box: minimum xyz, maximum xyz. */
export type Box = readonly [number, number, number, number, number, number];

/** Box of packed points (3 P); inverted infinities when empty. */
export function boundsOf(positions: Float32Array | Float64Array): Box {
  let x0 = Infinity, y0 = Infinity, z0 = Infinity, x1 = -Infinity, y1 = -Infinity, z1 = -Infinity; // prettier-ignore
  for (let i = 0; i < positions.length; i += 3) {
    const x = positions[i], y = positions[i + 1], z = positions[i + 2]; // prettier-ignore
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
    if (z < z0) z0 = z;
    if (z > z1) z1 = z;
  }
  return [x0, y0, z0, x1, y1, z1];
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
