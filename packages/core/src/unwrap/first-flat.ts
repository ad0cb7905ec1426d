import type { PolyMesh } from '../mesh/poly-mesh';
import type { BlockMatrix, BlockSystem } from './block-solve';
import type { Chart } from './chart';
import type { RestTriangles } from './flatten';

/** A first place for the points of a disc with nothing turned over: seen along its mean normal where that shows each triangle from its front,
 *  else its border on a circle and each inner point among its neighbours (Tutte 1963; weights of Floater, Mean Value Coordinates, 2003).
 *  @param system of the chart's triangles; its numbers are overwritten
 *  @returns float64[2 N], with the chart's area; null where rounding left triangles without any */
export function firstFlat(mesh: PolyMesh, chart: Chart, rest: RestTriangles, system: BlockSystem): Float64Array | null {
  return [
    () => seenFromFront(mesh, chart),
    () => onCircle(mesh, chart, system, true),
    () => onCircle(mesh, chart, system, false),
  ].reduce<Float64Array | null>((found, make) => found ?? scaled(make(), chart, rest), null);
}

/** Scaled so that areas agree; null where a triangle is turned over or nearly has no area. */
function scaled(uv: Float64Array, { triangles }: Chart, { area }: RestTriangles): Float64Array | null {
  let [surface, flat] = [0, 0];
  const own = new Float64Array(area.length);
  for (let t = 0; t < area.length; t++) {
    const [a, b, c] = [2 * triangles[3 * t], 2 * triangles[3 * t + 1], 2 * triangles[3 * t + 2]];
    own[t] = ((uv[b] - uv[a]) * (uv[c + 1] - uv[a + 1]) - (uv[b + 1] - uv[a + 1]) * (uv[c] - uv[a])) / 2;
    surface += area[t];
    flat += own[t];
  }
  const scale = surface / flat;
  if (!(scale > 0)) return null;
  for (let t = 0; t < area.length; t++) if (!(own[t] * scale > 1e-9 * area[t])) return null;
  return uv.map((x) => x * Math.sqrt(scale));
}

function seenFromFront({ positions: p }: PolyMesh, { points, triangles }: Chart): Float64Array {
  const n = [0, 0, 0];
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [3 * points[triangles[t]], 3 * points[triangles[t + 1]], 3 * points[triangles[t + 2]]];
    const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    for (let k = 0; k < 3; k++) n[k] += u[(k + 1) % 3] * v[(k + 2) % 3] - u[(k + 2) % 3] * v[(k + 1) % 3];
  }
  const length = Math.hypot(...n);
  const uv = new Float64Array(2 * points.length);
  if (length === 0) return uv;
  const [x, y, z] = n.map((k) => k / length);
  // two directions across the normal (Duff et al. 2017)
  const sign = z < 0 ? -1 : 1;
  const a = -1 / (sign + z);
  const b = x * y * a;
  points.forEach((q, i) => {
    const [px, py, pz] = [p[3 * q], p[3 * q + 1], p[3 * q + 2]];
    uv[2 * i] = (1 + sign * x * x * a) * px + sign * b * py - sign * x * pz;
    uv[2 * i + 1] = b * px + (sign + y * y * a) * py - y * pz;
  });
  return uv;
}

function onCircle(
  { positions: p }: PolyMesh,
  { points, triangles, border }: Chart,
  { matrix, places, solver }: BlockSystem,
  meanValue: boolean,
): Float64Array {
  const N = points.length;
  const uv = new Float64Array(2 * N);
  const held = new Uint8Array(N);
  if (border === null) return uv;
  const far = (i: number, j: number): number => {
    const [a, b] = [3 * points[i], 3 * points[j]];
    return Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
  };
  const steps = Array.from(border, (q, k) => far(q, border[(k + 1) % border.length]));
  // no step without length: a circle's triangles then have area
  const least = (1e-3 * steps.reduce((sum, s) => sum + s, 0)) / steps.length;
  const whole = steps.reduce((sum, s) => sum + Math.max(s, least), 0);
  let along = 0;
  border.forEach((q, k) => {
    held[q] = 1;
    uv[2 * q] = Math.cos((2 * Math.PI * along) / whole);
    uv[2 * q + 1] = Math.sin((2 * Math.PI * along) / whole);
    along += Math.max(steps[k], least);
  });
  // symmetric mean of both ends' weights, so that the matrix is symmetric; they are positive, which is all that Tutte asks
  matrix.values.fill(0);
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const [i, j, l] = [triangles[t + k], triangles[t + ((k + 1) % 3)], triangles[t + ((k + 2) % 3)]];
      const [ij, il, jl] = [far(i, j), far(i, l), far(j, l)];
      const cos = Math.min(1, Math.max(-1, (ij * ij + il * il - jl * jl) / Math.max(2 * ij * il, 1e-30)));
      const tanHalf = Math.sqrt(Math.max(0, (1 - cos) / (1 + cos + 1e-9)));
      for (const [n, d] of [
        [1, ij],
        [2, il],
      ] as const) {
        const w = meanValue ? Math.min(1e6, Math.max(1e-6, tanHalf)) / Math.max(d, 1e-30) : 1;
        const other = (k + n) % 3;
        for (const [r, c, s] of [
          [k, other, -1],
          [other, k, -1],
          [k, k, 1],
          [other, other, 1],
        ] as const) {
          const at = 3 * places[3 * t + 3 * r + c];
          matrix.values[at] += s * w;
          matrix.values[at + 2] += s * w;
        }
      }
    }
  const b = new Float64Array(2 * N);
  hold(matrix, uv, b, held);
  solver.solve(uv, b);
  return uv;
}

/** Takes held points out of a system whose blocks have no mixed part: their rows say what they are, and what others know of them goes into `b`. */
function hold({ rows, columns, values }: BlockMatrix, uv: Float64Array, b: Float64Array, held: Uint8Array): void {
  for (let i = 0; i < held.length; i++) {
    if (held[i] === 1) b.set(uv.subarray(2 * i, 2 * i + 2), 2 * i);
    for (let n = rows[i]; n < rows[i + 1]; n++) {
      const j = columns[n];
      if (held[i] === 0 && held[j] === 0) continue;
      if (held[i] === 0) {
        b[2 * i] -= values[3 * n] * uv[2 * j];
        b[2 * i + 1] -= values[3 * n + 2] * uv[2 * j + 1];
      }
      values[3 * n] = values[3 * n + 2] = i === j ? 1 : 0;
    }
  }
}
