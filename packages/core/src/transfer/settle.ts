import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount } from '../mesh/poly-mesh';
import { withOriginOf } from '../mesh/local-origin';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { SparseMatrix } from '../runtime/sparse-matrix';
import { leastSquares, multiplied } from '../runtime/sparse-matrix';
import { levelZero, refineOnce } from '../subdivision/refine';
import { limitMatrix, refinementMatrix } from '../subdivision/stencils';

/** The level whose points are fitted first. */
const FIRST_LEVEL = 2;

/** How far the smooth surface of a base passes by the top level of its stack, scene units: by area, and at the worst point. */
export interface Grit {
  readonly rms: number;
  readonly max: number;
}
export interface Settled {
  readonly base: PolyMesh;
  readonly before: Grit;
  readonly after: Grit;
}

/** Moves the points of a base to where the smooth surface really is: so that its limit surface at the top level's points comes nearest to them, by
 *  their area. The levels between keep their places, so nothing of them is asked.
 *  @param top level n of the same stack, n >= 1  @throws InvalidInputError NOT_A_STACK  @throws CancelledError */
export function settleBase(base: PolyMesh, top: PolyMesh, surface: Partial<SurfaceOptions> = {}, control?: RunControl): Settled {
  const wanted = withOriginOf(top, base);
  const P = pointCount(top);
  const factors: SparseMatrix[] = [];
  const start = Float64Array.from(base.positions);
  let x: Float64Array = start;
  let level = levelZero({ ...base, uvs: null, faceUvs: null, colors: null }, surface);
  while (pointCount(level.mesh) < P) {
    throwIfAborted(control);
    control?.onProgress?.(0.2 * (pointCount(level.mesh) / P), 'preparing');
    factors.unshift(refinementMatrix(level));
    level = refineOnce(level);
    // few of the points say nearly all; the rest then takes few steps
    if (factors.length === FIRST_LEVEL && pointCount(level.mesh) < P)
      x = fitted([limitMatrix(level), ...factors], x, wanted, 1e-6, control);
  }
  if (factors.length === 0 || !sameConnectivity(level.mesh, top))
    throw new InvalidInputError('NOT_A_STACK', 'The finest mesh is no level of the base, so the base cannot be settled under it.');
  factors.unshift(limitMatrix(level));
  const before = gritOf(factors, start, wanted);
  x = fitted(factors, x, wanted, 1e-4, subProgress(control, 0.2, 1));
  return {
    base: { ...base, positions: Float32Array.from(x), normals: null, faceNormals: null },
    before,
    after: gritOf(factors, x, wanted),
  };
}

/** The base that fits a level's points best, of those that the factors have rows for; old points come first in every level. */
function fitted(
  factors: readonly SparseMatrix[],
  from: Float64Array,
  wanted: PolyMesh,
  enough: number,
  control?: RunControl,
): Float64Array {
  const rows = factors[0].start.length - 1;
  const weights = rows === pointCount(wanted) ? pointAreas(wanted) : null;
  return leastSquares(factors, Float64Array.from(wanted.positions.subarray(0, 3 * rows)), weights, from, enough, control);
}

function gritOf(factors: readonly SparseMatrix[], x: Float64Array, wanted: PolyMesh): Grit {
  const at = factors.reduceRight((v, factor) => multiplied(factor, v), x);
  const b = wanted.positions;
  const weights = pointAreas(wanted);
  let [sum, all, max] = [0, 0, 0];
  for (let v = 0; v < weights.length; v++) {
    const d = (at[3 * v] - b[3 * v]) ** 2 + (at[3 * v + 1] - b[3 * v + 1]) ** 2 + (at[3 * v + 2] - b[3 * v + 2]) ** 2;
    sum += weights[v] * d;
    all += weights[v];
    if (d > max) max = d;
  }
  return { rms: all > 0 ? Math.sqrt(sum / all) : 0, max: Math.sqrt(max) };
}

/** A third of the area of the triangles around each point. */
function pointAreas(mesh: PolyMesh): Float64Array {
  const p = mesh.positions;
  const verts = triangleVerts(mesh, triangulate(mesh));
  const out = new Float64Array(pointCount(mesh));
  for (let t = 0; t < verts.length; t += 3) {
    const [a, b, c] = [3 * verts[t], 3 * verts[t + 1], 3 * verts[t + 2]];
    const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
    const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
    const third = Math.hypot(uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx) / 6;
    for (let k = 0; k < 3; k++) out[verts[t + k]] += third;
  }
  return out;
}

function sameConnectivity(a: PolyMesh, b: PolyMesh): boolean {
  if (a.faceVerts.length !== b.faceVerts.length || pointCount(a) !== pointCount(b)) return false;
  for (let c = 0; c < a.faceVerts.length; c++) if (a.faceVerts[c] !== b.faceVerts[c]) return false;
  return true;
}
