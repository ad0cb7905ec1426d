import type { PolyMesh } from '@estampe/core';
import { limitPoints, pointCount, refineLevels } from '@estampe/core';

/** What a sculptor did to one smooth point: where it went, and its colour as stored (sRGB, 0 to 1). Both are written in place. */
export type SculptPoint = (
  /** Smooth place and unit normal of point `i / 3`. */
  smooth: { readonly positions: Float32Array; readonly normals: Float32Array },
  i: number,
  place: Float32Array,
  colour: Float32Array,
) => void;

/** Levels 0 to `top` from a base and a sculpted top: rungs between are the top's points at their places, as in any stack given by base and
 *  top. Levels above 0 carry the top's point colours. */
export function stackOf(base: PolyMesh, top: number, sculpt: SculptPoint): PolyMesh[] {
  const refined = refineLevels(base, top);
  const smooth = limitPoints(refined);
  const place = new Float32Array(smooth.positions.length);
  const colour = new Float32Array(place.length);
  for (let i = 0; i < place.length; i += 3) sculpt(smooth, i, place, colour);
  const levels = [base];
  for (let k = 1; k <= top; k++) {
    const { mesh } = k === top ? refined : refineLevels(base, k);
    const length = 3 * pointCount(mesh);
    levels.push({ ...mesh, positions: place.slice(0, length), colors: colour.slice(0, length) });
  }
  return levels;
}

/** Writes a mix of two colours, rounded to thousandths: finer than eight bits, and files stay short. */
export function mixInto(out: Float32Array, i: number, a: readonly number[], b: readonly number[], share: number): void {
  const t = Math.min(1, Math.max(0, share));
  for (let k = 0; k < 3; k++) out[i + k] = Math.round(1000 * (a[k] + t * (b[k] - a[k]))) / 1000;
}
