import type { PolyMesh } from '../mesh/poly-mesh';
import { blockSystem } from './block-solve';
import type { Chart } from './chart';
import { firstFlat } from './first-flat';

export interface FlattenOptions {
  readonly mostSteps: number;
  /** Stops where a step takes away less than this share of the energy above its least, or where less than `flat` of that is left. */
  readonly enough: number;
  readonly flat: number;
}
/** To know whether a chart can be had, and to keep it. */
export const TRIAL: FlattenOptions = { mostSteps: 10, enough: 0.04, flat: 1e-3 };
export const FINAL: FlattenOptions = { mostSteps: 200, enough: 1e-4, flat: 1e-7 };

/** The symmetric Dirichlet energy, over the area, of a map that keeps all lengths. */
const LEAST_ENERGY = 4;

/** Of the diagonal: how strongly a step is held back, which makes the system definite. */
const PULL = 1e-6;

/** Triangles of a chart at rest: each in a plane of its own. */
export interface RestTriangles {
  readonly area: Float64Array; // T
  /** 6 T: what a point's u, or v, adds to the derivatives along the triangle's two axes, point after point. */
  readonly gradients: Float64Array;
}

/** Share of the area whose worst triangle stands for a chart's. */
const WORST_SHARE = 0.01;

/** How a flattened chart came out. */
export interface Flat {
  readonly uv: Float64Array; // 2 N, scene units, nothing turned over
  /** Stretch by area (Sander et al. 2001), 1 at best. */
  readonly stretch: number;
  /** The longer over the shorter singular value of triangles: a hundredth of the area is beyond. */
  readonly ratio: number;
}

/** Triangles without area get a sliver's, so that they have a place. */
export function restTriangles({ positions: p }: PolyMesh, { points, triangles }: Chart): RestTriangles {
  const T = triangles.length / 3;
  const area = new Float64Array(T);
  const gradients = new Float64Array(6 * T);
  for (let t = 0; t < T; t++) {
    const [a, b, c] = [3 * points[triangles[3 * t]], 3 * points[triangles[3 * t + 1]], 3 * points[triangles[3 * t + 2]]];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const longest = Math.max(Math.hypot(ux, uy, uz), Math.hypot(vx, vy, vz), 1e-20);
    const x1 = Math.max(Math.hypot(ux, uy, uz), 1e-3 * longest);
    const x2 = (ux * vx + uy * vy + uz * vz) / x1;
    const y2 = Math.max(Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / x1, 1e-3 * longest);
    area[t] = (x1 * y2) / 2;
    gradients.set([-1 / x1, (x2 - x1) / (x1 * y2), 1 / x1, -x2 / (x1 * y2), 0, 1 / y2], 6 * t);
  }
  return { area, gradients };
}

/** Lays a chart flat with low distortion and nothing turned over: the symmetric Dirichlet energy, lowered by reweighted local and global steps
 *  (Rabinovich, Poranne, Panozzo, Sorkine-Hornung, Scalable Locally Injective Mappings, 2017), each at most as long as no triangle turns over
 *  (Smith, Schaefer, Bijective Parameterization with Free Boundaries, 2015).
 *  @returns null where the chart is no disc, or no first place for it was found */
export function flatten(mesh: PolyMesh, chart: Chart, { mostSteps, enough, flat }: FlattenOptions): Flat | null {
  if (chart.border === null) return null;
  const rest = restTriangles(mesh, chart);
  const { triangles } = chart;
  const N = chart.points.length;
  const system = blockSystem(N, triangles);
  const { matrix, places, solver } = system;
  const x = firstFlat(mesh, chart, rest, system);
  if (x === null) return null;
  const b = new Float64Array(2 * N);
  const target = new Float64Array(2 * N);
  const tried = new Float64Array(2 * N);
  let energy = energyOf(rest, triangles, x);
  for (let step = 0; step < mostSteps && energy - LEAST_ENERGY > flat; step++) {
    assemble(matrix, places, b, rest, triangles, x);
    if (!solver.solve(target, b)) break;
    for (let i = 0; i < 2 * N; i++) target[i] -= x[i];
    let length = Math.min(1, 0.8 * longestStep(triangles, x, target));
    let lower = energy;
    for (let halving = 0; halving < 12; halving++, length /= 2) {
      for (let i = 0; i < 2 * N; i++) tried[i] = x[i] + length * target[i];
      const there = energyOf(rest, triangles, tried);
      if (there < energy) {
        lower = there;
        x.set(tried);
        break;
      }
    }
    const gain = (energy - lower) / (energy - LEAST_ENERGY);
    energy = lower;
    if (gain < enough) break;
  }
  return { uv: x, ...stretchOf(rest, triangles, x) };
}

/** Derivatives of a triangle's map to the plane: du/ds, du/dt, dv/ds, dv/dt, into `j`. */
function jacobian(j: Float64Array, { gradients: g }: RestTriangles, triangles: Uint32Array, x: Float64Array, t: number): void {
  const [a, b, c] = [2 * triangles[3 * t], 2 * triangles[3 * t + 1], 2 * triangles[3 * t + 2]];
  const o = 6 * t;
  j[0] = g[o] * x[a] + g[o + 2] * x[b] + g[o + 4] * x[c];
  j[1] = g[o + 1] * x[a] + g[o + 3] * x[b] + g[o + 5] * x[c];
  j[2] = g[o] * x[a + 1] + g[o + 2] * x[b + 1] + g[o + 4] * x[c + 1];
  j[3] = g[o + 1] * x[a + 1] + g[o + 3] * x[b + 1] + g[o + 5] * x[c + 1];
}

/** Symmetric Dirichlet energy over the area, 4 at best; Infinity where a triangle is turned over. */
function energyOf(rest: RestTriangles, triangles: Uint32Array, x: Float64Array): number {
  const j = new Float64Array(4);
  let sum = 0;
  let areas = 0;
  for (let t = 0; t < rest.area.length; t++) {
    jacobian(j, rest, triangles, x, t);
    const det = j[0] * j[3] - j[1] * j[2];
    if (!(det > 0)) return Infinity;
    sum += rest.area[t] * (j[0] * j[0] + j[1] * j[1] + j[2] * j[2] + j[3] * j[3]) * (1 + 1 / (det * det));
    areas += rest.area[t];
  }
  return sum / areas;
}

/** The quadratic stand-in of the energy at `x`: for each triangle its nearest rotation, weighted along the axes that it is stretched on. */
function assemble(
  { values, rows, columns }: { values: Float64Array; rows: Uint32Array; columns: Uint32Array },
  places: Uint32Array,
  b: Float64Array,
  rest: RestTriangles,
  triangles: Uint32Array,
  x: Float64Array,
): void {
  values.fill(0);
  b.fill(0);
  const j = new Float64Array(4);
  const { area, gradients: g } = rest;
  for (let t = 0; t < area.length; t++) {
    jacobian(j, rest, triangles, x, t);
    // J = turn(left) diag(s1, s2) turn(-right), by half angles; no destructuring in here, it is slow
    const e = (j[0] + j[3]) / 2;
    const f = (j[0] - j[3]) / 2;
    const h = (j[2] + j[1]) / 2;
    const k = (j[2] - j[1]) / 2;
    const q = Math.sqrt(e * e + k * k);
    const r = Math.sqrt(f * f + h * h);
    const a2 = Math.atan2(k, e);
    const left = (a2 + Math.atan2(h, f)) / 2;
    const c = Math.cos(left);
    const s = Math.sin(left);
    const w1 = weightOf(q + r);
    const w2 = weightOf(Math.max(q - r, 1e-12));
    const m00 = w1 * c * c + w2 * s * s;
    const m01 = (w1 - w2) * c * s;
    const m11 = w1 * s * s + w2 * c * c;
    // the rotation: [rc -rs; rs rc]
    const rc = Math.cos(a2);
    const rs = Math.sin(a2);
    for (let i = 0; i < 3; i++) {
      const gs = area[t] * g[6 * t + 2 * i];
      const gt = area[t] * g[6 * t + 2 * i + 1];
      const hu = gs * rc - gt * rs;
      const hv = gs * rs + gt * rc;
      const p = 2 * triangles[3 * t + i];
      b[p] += m00 * hu + m01 * hv;
      b[p + 1] += m01 * hu + m11 * hv;
      for (let n = 0; n < 3; n++) {
        const w = gs * g[6 * t + 2 * n] + gt * g[6 * t + 2 * n + 1];
        const at = 3 * places[9 * t + 3 * i + n];
        values[at] += w * m00;
        values[at + 1] += w * m01;
        values[at + 2] += w * m11;
      }
    }
  }
  // a little pull to where the points are holds the whole in its place
  const N = rows.length - 1;
  for (let i = 0; i < N; i++)
    for (let n = rows[i]; n < rows[i + 1]; n++)
      if (columns[n] === i) {
        const w = PULL * Math.max(values[3 * n], values[3 * n + 2]);
        values[3 * n] += w;
        values[3 * n + 2] += w;
        b[2 * i] += w * x[2 * i];
        b[2 * i + 1] += w * x[2 * i + 1];
      }
}

/** (s - s^-3) / (s - 1), whose limit at 1 is 4: the squared weight of the symmetric Dirichlet energy. */
const weightOf = (s: number): number => ((s + 1) * (s * s + 1)) / (s * s * s);

/** The step along `d` at which the first triangle loses its area. */
function longestStep(triangles: Uint32Array, x: Float64Array, d: Float64Array): number {
  let most = Infinity;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [2 * triangles[t], 2 * triangles[t + 1], 2 * triangles[t + 2]];
    const [ux, uy, vx, vy] = [x[b] - x[a], x[b + 1] - x[a + 1], x[c] - x[a], x[c + 1] - x[a + 1]];
    const [du, dv, eu, ev] = [d[b] - d[a], d[b + 1] - d[a + 1], d[c] - d[a], d[c + 1] - d[a + 1]];
    const A = du * ev - dv * eu;
    const B = ux * ev + du * vy - uy * eu - dv * vx;
    const C = ux * vy - uy * vx;
    most = Math.min(most, smallestRoot(A, B, C));
  }
  return most;
}

/** Smallest positive root of A t^2 + B t + C, C above 0; Infinity where there is none. */
function smallestRoot(A: number, B: number, C: number): number {
  const D = B * B - 4 * A * C;
  if (D < 0) return Infinity;
  // without cancellation: q has the sign of B
  const q = -(B + (B < 0 ? -1 : 1) * Math.sqrt(D)) / 2;
  const roots = [q / A, C / q].filter((t) => t > 0);
  return Math.min(Infinity, ...roots);
}

function stretchOf(rest: RestTriangles, triangles: Uint32Array, x: Float64Array): { stretch: number; ratio: number } {
  const j = new Float64Array(4);
  let [sum, areas, uvAreas] = [0, 0, 0];
  const ratios = new Float64Array(rest.area.length);
  for (let t = 0; t < rest.area.length; t++) {
    jacobian(j, rest, triangles, x, t);
    const det = j[0] * j[3] - j[1] * j[2];
    const norm = j[0] * j[0] + j[1] * j[1] + j[2] * j[2] + j[3] * j[3];
    // of the inverse: its squared norm is the same over the determinant's square
    sum += (rest.area[t] * norm) / (2 * det * det);
    areas += rest.area[t];
    uvAreas += rest.area[t] * det;
    const root = Math.sqrt(Math.max(0, norm * norm - 4 * det * det));
    ratios[t] = Math.sqrt((norm + root) / Math.max(norm - root, 1e-12 * norm));
  }
  const worst = Uint32Array.from(ratios.keys()).sort((a, b) => ratios[b] - ratios[a]);
  let beyond = 0;
  const at = worst.find((t) => (beyond += rest.area[t]) > WORST_SHARE * areas) ?? 0;
  return { stretch: Math.sqrt((sum / areas) * (uvAreas / areas)), ratio: ratios[at] };
}
