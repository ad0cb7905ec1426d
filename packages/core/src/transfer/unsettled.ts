import { diagonalOf } from '../mesh/bounds';
import type { PolyMesh } from '../mesh/poly-mesh';
import { facesWhere } from '../mesh/poly-mesh';
import { withOriginOf } from '../mesh/local-origin';
import { levelZero, refinedFaceCount, refineOnce } from '../subdivision/refine';
import type { Finding } from '../uv/finding';
import { Findings } from '../uv/finding';
import { settleBase } from './settle';

/** Settling that gains less than this share of the RMS is not worth a new light mesh. */
const GAIN = 0.2;
/** Nor is what lies below this share of the diagonal: single precision is not far from there. */
const LEAST = 1e-5;
/** The top level is looked at where a level of so many faces at most has its points: more of them change the share by a few hundredths. */
const LOOKED_AT = 25_000;
/** Of a light mesh whose first level has more faces than this nothing is said: finding it out would hold up everything else. */
const MOST = 100_000;

/** Whether the smooth surface of a light mesh would come nearer to the top of its stack by a fifth or more if its points were settled: what it
 *  passes by is in every map, as grit of the size of its faces.
 *  @param top `levels` above, in the stated point order, from 1  @returns null where settling gains less, or would take long to find out */
export function unsettledFinding(low: PolyMesh, top: PolyMesh, levels: number): Finding | null {
  let looked = 1;
  while (looked < levels && refinedFaceCount(low, looked + 1) <= LOOKED_AT) looked++;
  if (levels < 1 || refinedFaceCount(low, looked) > MOST) return null;
  let level = levelZero({ ...low, uvs: null, faceUvs: null, colors: null });
  for (let k = 0; k < looked; k++) level = refineOnce(level);
  // points of a level come first among those of the next
  const positions = withOriginOf(top, low).positions.slice(0, level.mesh.positions.length);
  const { base, before, after } = settleBase(low, { ...level.mesh, positions });
  const diagonal = diagonalOf(positions);
  if (!(after.rms < (1 - GAIN) * before.rms && before.rms > LEAST * diagonal)) return null;
  const percent = (x: number): string => `${Number(((100 * x) / diagonal).toPrecision(2))} %`;
  const findings = new Findings();
  findings.add(
    'base-unsettled',
    'note',
    facesWhere(low, (f) => isMoved(low, base, f, after.rms)),
    () =>
      `The smooth surface of the light mesh passes the sculpt by ${percent(before.rms)} of the diagonal (RMS), settled by ${percent(after.rms)}: the difference is grit in every map, so settle the base before you extract.`,
    1,
  );
  return findings.list[0];
}

/** Whether a corner of a face goes farther than some distance. */
function isMoved({ positions: p, faceOffsets, faceVerts }: PolyMesh, { positions: q }: PolyMesh, face: number, distance: number): boolean {
  for (let c = faceOffsets[face]; c < faceOffsets[face + 1]; c++) {
    const v = 3 * faceVerts[c];
    if ((p[v] - q[v]) ** 2 + (p[v + 1] - q[v + 1]) ** 2 + (p[v + 2] - q[v + 2]) ** 2 > distance * distance) return true;
  }
  return false;
}
