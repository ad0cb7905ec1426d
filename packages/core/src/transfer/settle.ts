import { stackLevel } from '../extract/stack-match';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount } from '../mesh/poly-mesh';
import { pointAreas } from '../mesh/point-areas';
import { withOriginOf } from '../mesh/local-origin';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { InvalidInputError } from '../runtime/errors';
import { leastSquares } from '../runtime/least-squares';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { SparseMatrix } from '../runtime/sparse-matrix';
import { composed, multiplied } from '../runtime/sparse-matrix';
import { levelZero, refineOnce } from '../subdivision/refine';
import { limitMatrix, refinementMatrix } from '../subdivision/stencils';

/** Fitting ends where the gradient is this small beside what is left. */
const ENOUGH = 1e-6;

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
 *  @param finest level n of the same stack, n >= 1, in any order of points  @throws InvalidInputError NOT_A_STACK  @throws CancelledError */
export function settleBase(base: PolyMesh, finest: PolyMesh, surface: Partial<SurfaceOptions> = {}, control?: RunControl): Settled {
  const top = stackLevel(base, finest, control)?.mesh ?? finest;
  const wanted = withOriginOf(top, base);
  const P = pointCount(top);
  const start = Float64Array.from(base.positions);
  let level = levelZero({ ...base, uvs: null, faceUvs: null, colors: null }, surface);
  let points: SparseMatrix | null = null;
  while (pointCount(level.mesh) < P) {
    throwIfAborted(control);
    control?.onProgress?.(0.3 * (pointCount(level.mesh) / P), 'preparing');
    const next = refinementMatrix(level);
    points = points === null ? next : composed(next, points);
    level = refineOnce(level);
  }
  if (points === null || !sameConnectivity(level.mesh, top))
    throw new InvalidInputError('NOT_A_STACK', 'The finest mesh is no level of the base, so the base cannot be settled under it.');
  throwIfAborted(control);
  const smooth = composed(limitMatrix(level), points);
  const areas = pointAreas(wanted);
  const before = gritOf(smooth, start, wanted, areas);
  const x = leastSquares(
    { A: smooth, b: Float64Array.from(wanted.positions), weights: areas, from: start, enough: ENOUGH },
    subProgress(control, 0.3, 1),
  );
  return {
    base: { ...base, positions: Float32Array.from(x), normals: null, faceNormals: null },
    before,
    after: gritOf(smooth, x, wanted, areas),
  };
}

function gritOf(smooth: SparseMatrix, x: Float64Array, { positions: b }: PolyMesh, weights: Float64Array): Grit {
  const at = multiplied(smooth, x);
  let [sum, all, max] = [0, 0, 0];
  for (let v = 0; v < weights.length; v++) {
    const d = (at[3 * v] - b[3 * v]) ** 2 + (at[3 * v + 1] - b[3 * v + 1]) ** 2 + (at[3 * v + 2] - b[3 * v + 2]) ** 2;
    sum += weights[v] * d;
    all += weights[v];
    if (d > max) max = d;
  }
  return { rms: all > 0 ? Math.sqrt(sum / all) : 0, max: Math.sqrt(max) };
}

function sameConnectivity(a: PolyMesh, b: PolyMesh): boolean {
  if (a.faceVerts.length !== b.faceVerts.length || pointCount(a) !== pointCount(b)) return false;
  for (let c = 0; c < a.faceVerts.length; c++) if (a.faceVerts[c] !== b.faceVerts[c]) return false;
  return true;
}
