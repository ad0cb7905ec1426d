import { boundsOf } from '../mesh/bounds';

/** Cells a side: 2^10, so that three numbers of ten bits make one of thirty. */
const CELLS = 1024;

/** The same points in the order of a curve that fills space (Morton 1966), so that those which follow each other mostly lie near each other, and
 *  what searches for one has at hand what the next one needs. @param points float32[3 P], fewer than 4 million @returns a copy */
export function inSpaceOrder(points: Float32Array): Float32Array {
  const P = points.length / 3;
  const out = new Float32Array(points.length);
  const [x0, y0, z0, x1, y1, z1] = boundsOf(points);
  const longest = Math.max(x1 - x0, y1 - y0, z1 - z0);
  const scale = longest > 0 ? (CELLS - 1) / longest : 0;
  // the cell above, the point below, in one number that is exact
  const keys = new Float64Array(P);
  for (let i = 0; i < P; i++) {
    const x = spread((points[3 * i] - x0) * scale);
    const y = spread((points[3 * i + 1] - y0) * scale);
    const z = spread((points[3 * i + 2] - z0) * scale);
    keys[i] = (x | (y << 1) | (z << 2)) * P + i;
  }
  keys.sort();
  for (let i = 0; i < P; i++) {
    const from = 3 * (keys[i] % P);
    for (let k = 0; k < 3; k++) out[3 * i + k] = points[from + k];
  }
  return out;
}

/** The whole part's ten bits, each followed by two zeros. */
function spread(x: number): number {
  let bits = (x | (x << 16)) & 0x030000ff;
  bits = (bits | (bits << 8)) & 0x0300f00f;
  bits = (bits | (bits << 4)) & 0x030c30c3;
  return (bits | (bits << 2)) & 0x09249249;
}
