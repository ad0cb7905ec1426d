import type { CutFaces } from '../mesh/keep-faces';
import { cutFaces } from '../mesh/keep-faces';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { RefinedLevel } from './refine';
import { levelZero, refineOnce } from './refine';
import type { Sharpness } from './sharpness';
import { sharpnessAt } from './rules';
import { fadingLevels } from './sharpness';

/** Levels after which what happens at the end of a lasting crease is below single precision: about a quarter is left a level. */
const END_LEVELS = 12;

/** The surroundings of the points whose limit no closed form gives on this level: those on fading creases, refined until nothing fades any more,
 *  and those where a lasting crease ends inside the surface, refined until they move no more. */
export interface FadedSurroundings {
  readonly level: RefinedLevel;
  /** Those points, and their numbers in `level`. */
  readonly points: Uint32Array;
  readonly pointsThere: Uint32Array;
  /** UVs at those points, and their numbers in `level`. */
  readonly uvs: Uint32Array;
  readonly uvsThere: Uint32Array;
}

/** Null where there is no such point. What a refined point and its neighbours are made of are the faces around the point, so only those are kept, on every level again: the cost is
 *  that of the faces along the creases, times the levels they last. */
export function aroundFading(whole: RefinedLevel, sharpness: Sharpness): FadedSurroundings | null {
  const { edgeVerts, edgeFaceCounts } = whole.edges;
  const wanted = sharpness.points.map((s) => Number(fades(s)));
  const lasting = new Uint32Array(wanted.length);
  for (let e = 0; e < edgeFaceCounts.length; e++) {
    const [a, b] = edgeVerts.subarray(2 * e, 2 * e + 2);
    if (fades(sharpness.edges[e])) wanted[a] = wanted[b] = 1;
    if (sharpnessAt(whole.edges, e) === Infinity) {
      lasting[a]++;
      lasting[b]++;
    }
  }
  const ends = (v: number): boolean => lasting[v] === 1 && sharpness.points[v] !== Infinity;
  const anyEnd = lasting.some((_, v) => ends(v));
  lasting.forEach((_, v) => {
    if (ends(v)) wanted[v] = 1;
  });
  const points = indicesOf(wanted);
  if (points.length === 0) return null;
  let pointsThere = points;
  const wantedUvs = new Uint8Array((whole.mesh.uvs?.length ?? 0) / 2);
  whole.mesh.faceUvs?.forEach((t, c) => {
    if (wanted[whole.mesh.faceVerts[c]] === 1) wantedUvs[t] = 1;
  });
  const uvs = indicesOf(wantedUvs);
  let uvsThere = uvs;
  let level = whole;
  for (let left = fadingLevels(sharpness) + (anyEnd ? END_LEVELS : 0); left > 0; left--) {
    const cut = facesAround(level.mesh, pointsThere);
    pointsThere = pointsThere.map((v) => cut.points[v]);
    if (cut.uvs !== null) uvsThere = uvsThere.map((t) => cut.uvs?.[t] ?? t);
    level = refineOnce(levelZero(cut.mesh, whole.surface));
  }
  return { level, points, pointsThere, uvs, uvsThere };
}

const fades = (s: number): boolean => s > 0 && s !== Infinity;
const indicesOf = (marks: ArrayLike<number>): Uint32Array => Uint32Array.from(Array.from(marks).flatMap((m, i) => (m > 0 ? [i] : [])));

/** The faces at some points. */
function facesAround(mesh: PolyMesh, around: Uint32Array): CutFaces {
  const near = new Uint8Array(mesh.positions.length / 3);
  for (const v of around) near[v] = 1;
  return cutFaces(mesh, (f) => mesh.faceVerts.subarray(mesh.faceOffsets[f], mesh.faceOffsets[f + 1]).some((v) => near[v] === 1));
}
