import { matchConnectivity, reorderLike } from '../mesh/isomorphism';
import { acrossRefined } from '../mesh/linked-corners';
import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount } from '../mesh/poly-mesh';
import { connectivityOf } from '../mesh/topology';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Allocate } from '../runtime/threads';
import { ownMemory } from '../runtime/threads';
import { nearbyFaces } from '../spatial/face-grid';
import { refineLinear } from '../subdivision/catmull-clark';
import { levelZero, refinedFaceCount, refineOnce } from '../subdivision/refine';

export interface StackLevel {
  readonly levels: number;
  /** The higher level in the stated point order: the mesh itself where it is in that order already. */
  readonly mesh: PolyMesh;
  /** Which of the given mesh's points each of these is; null where nothing had to be renumbered. */
  readonly points: Uint32Array | null;
}

/** What somebody has already of two meshes that may be a stack. */
export interface KnownOfStack {
  /** The light mesh at the level that `levelsByCount` tells, smooth. */
  readonly refined: PolyMesh | null;
  /** The corner across each edge of the sculpt. */
  readonly across: Uint32Array | null;
}
export const NOTHING_KNOWN: KnownOfStack = { refined: null, across: null };

/** How many times `low` would be refined to as many faces as `high` has; null where no number of times gives them. */
export const levelsByCount = (low: PolyMesh, high: PolyMesh): number | null => levelsByFaces(low, faceCount(high));

/** The same where of the higher mesh nothing is known yet but how many faces it has. */
export function levelsByFaces(low: PolyMesh, faces: number): number | null {
  let levels = 0;
  while (refinedFaceCount(low, levels) < faces) levels++;
  return refinedFaceCount(low, levels) === faces ? levels : null;
}

/** Whether a mesh that has so many levels' faces seems to come in the stated point order: all children of a corner follow each other, and the first
 *  begins at the corner's own point. */
export const looksInOrder = (low: PolyMesh, high: PolyMesh, levels: number): boolean =>
  low.faceVerts.every((v, c) => high.faceVerts[c * 4 ** levels] === v);

/** How many levels lie between two meshes of one stack, by their connectivity: in the stated point order, or in any other.
 *  Null when they are not levels of one stack. The answer's points are counted from the light mesh's origin. Cheap when the counts cannot fit: nothing is refined then.
 *  @param allocate memory of the answer's points where they had to be renumbered */
export function stackLevel(
  low: PolyMesh,
  given: PolyMesh,
  control?: RunControl,
  known: KnownOfStack = NOTHING_KNOWN,
  allocate: Allocate = ownMemory,
): StackLevel | null {
  const high = withOriginOf(given, low);
  const levels = levelsByCount(low, high);
  if (levels === null) return null;
  const mesh = known.refined ?? refinedAlone(low, levels);
  if (pointCount(mesh) !== pointCount(high) || mesh.faceVerts.length !== high.faceVerts.length) return null;
  if (sameNumbers(mesh.faceVerts, high.faceVerts) && sameNumbers(mesh.faceOffsets, high.faceOffsets))
    return { levels, mesh: high, points: null };
  throwIfAborted(control);
  const across = { mesh: acrossRefined(low, levels), other: known.across };
  const match = matchConnectivity(mesh, high, nearFaceOf(mesh, high), () => throwIfAborted(control), across);
  return match === null ? null : { levels, mesh: reorderLike(mesh, high, match, allocate), points: match.points };
}

/** Points and faces of a level; smooth, so that its points lie near the other's where only nearness tells which is which. */
function refinedAlone(low: PolyMesh, levels: number): PolyMesh {
  let level = levelZero({ ...low, uvs: null, faceUvs: null, colors: null });
  for (let k = 0; k < levels; k++) level = refineOnce(level);
  return level.mesh;
}

function sameNumbers(a: Uint32Array, b: Uint32Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

/** A face of `other` near the middle of a face of `mesh`. */
function nearFaceOf(mesh: PolyMesh, other: PolyMesh): (face: number) => number {
  const near = nearbyFaces(other);
  return (face) => {
    const [from, to] = [mesh.faceOffsets[face], mesh.faceOffsets[face + 1]];
    const middle = [0, 0, 0];
    for (let c = from; c < to; c++) for (let k = 0; k < 3; k++) middle[k] += mesh.positions[3 * mesh.faceVerts[c] + k] / (to - from);
    return near(middle[0], middle[1], middle[2]);
  };
}

/** A value a point of the sculpt at the parameters of a base refined `extra` levels beyond it: float32[width P].
 *  Between its own points the sculpt is read bilinearly. */
export function valuesAtParameters(sculpt: PolyMesh, values: Float32Array, extra: number, width = 3): Float32Array {
  if (extra === 0) return values;
  let level = levelZero({ ...sculpt, uvs: null, faceUvs: null, colors: null });
  let out = values;
  for (let k = 0; k < extra; k++) {
    out = refineLinear(out, width, connectivityOf(level.mesh), level.edges);
    if (k + 1 < extra) level = refineOnce(level, 'linear');
  }
  return out;
}

/** The sculpt's points at the parameters of a base of the same stack: its own first points, or between them where the base is finer.
 *  @param points of the base @param level of the base over the light mesh @returns float32[3 points] */
export const pointsAtLevel = ({ mesh, levels }: Pick<StackLevel, 'mesh' | 'levels'>, points: number, level: number): Float32Array =>
  level <= levels ? mesh.positions.slice(0, 3 * points) : valuesAtParameters(mesh, mesh.positions, level - levels);
