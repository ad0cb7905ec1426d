import { NO_INDEX } from '../mesh/poly-mesh';
import { GrowableF32, GrowableU32 } from '../runtime/growable';

/** UVs that a file repeats at every corner, shared again: one for all corners of a point that hold the same.
 *  @param cornerUvs float32[2 C], NaN where a corner has none
 *  @returns numbered by first use */
export function shareUvs(faceVerts: Uint32Array, cornerUvs: Float32Array, points: number): { uvs: Float32Array; faceUvs: Uint32Array } {
  const first = new Uint32Array(points).fill(NO_INDEX);
  const next = new GrowableU32(points);
  const uvs = new GrowableF32(2 * points);
  const faceUvs = new Uint32Array(faceVerts.length);
  for (let c = 0; c < faceVerts.length; c++) {
    const v = faceVerts[c];
    const u = cornerUvs[2 * c];
    const w = cornerUvs[2 * c + 1];
    if (Number.isNaN(u)) {
      faceUvs[c] = NO_INDEX;
      continue;
    }
    let t = first[v];
    while (t !== NO_INDEX && !(uvs.at(2 * t) === u && uvs.at(2 * t + 1) === w)) t = next.at(t);
    if (t === NO_INDEX) {
      t = uvs.length / 2;
      uvs.push(u);
      uvs.push(w);
      next.push(first[v]);
      first[v] = t;
    }
    faceUvs[c] = t;
  }
  return { uvs: uvs.finish(), faceUvs };
}
