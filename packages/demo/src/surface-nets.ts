/** A quad mesh where a sampled amount crosses a level (surface nets after Gibson, "Constrained Elastic Surface Nets", 1998, without the
 *  relaxation): a point in every cell that is crossed, at the mean of its edges' crossings, and a quad around every edge that is.
 *  @param data amounts, side x side x side, x fastest; more than `level` is inside
 *  @param step between samples @param origin coordinate of the first sample, the same on all axes */
export function surfaceNets(
  data: Float32Array,
  side: number,
  level: number,
  step: number,
  origin: number,
): { positions: Float32Array; faceOffsets: Uint32Array; faceVerts: Uint32Array } {
  const stride = [1, side, side * side] as const;
  const pointOf = new Map<number, number>();
  const positions: number[] = [];
  const faceVerts: number[] = [];
  const corners = Array.from({ length: 8 }, (_, k) => (k & 1) * stride[0] + ((k >> 1) & 1) * stride[1] + (k >> 2) * stride[2]);
  const cellPoint = (at: number, x: number, y: number, z: number): void => {
    let inside = 0;
    for (let k = 0; k < 8; k++) if (data[at + corners[k]] > level) inside++;
    if (inside === 0 || inside === 8) return;
    const sum = [0, 0, 0];
    let crossings = 0;
    for (let k = 0; k < 8; k++)
      for (let axis = 0; axis < 3; axis++) {
        if (k & (1 << axis)) continue;
        const [a, b] = [data[at + corners[k]] - level, data[at + corners[k | (1 << axis)]] - level];
        if (a > 0 === b > 0) continue;
        for (let c = 0; c < 3; c++) sum[c] += c === axis ? a / (a - b) : (k >> c) & 1;
        crossings++;
      }
    pointOf.set(at, positions.length / 3);
    [x, y, z].forEach((v, c) => positions.push(origin + step * (v + sum[c] / crossings)));
  };
  for (let z = 0; z + 1 < side; z++)
    for (let y = 0; y + 1 < side; y++) for (let x = 0; x + 1 < side; x++) cellPoint(x + stride[1] * y + stride[2] * z, x, y, z);
  for (let z = 1; z + 1 < side; z++)
    for (let y = 1; y + 1 < side; y++)
      for (let x = 1; x + 1 < side; x++) {
        const at = x + stride[1] * y + stride[2] * z;
        const inside = data[at] > level;
        for (let axis = 0; axis < 3; axis++) {
          if (inside === data[at + stride[axis]] > level) continue;
          const [u, v] = [stride[(axis + 1) % 3], stride[(axis + 2) % 3]];
          const around = [at - u - v, at - v, at, at - u].map((cell) => pointOf.get(cell) as number);
          // counter-clockwise seen from where less is
          faceVerts.push(...(inside ? around : around.reverse()));
        }
      }
  return {
    positions: Float32Array.from(positions),
    faceOffsets: Uint32Array.from({ length: faceVerts.length / 4 + 1 }, (_, f) => 4 * f),
    faceVerts: Uint32Array.from(faceVerts),
  };
}
