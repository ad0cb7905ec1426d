import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount } from '../mesh/poly-mesh';
import { vertexNormals } from '../mesh/normals';
import { extentOf } from '../mesh/bounds';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { refineLinear } from './catmull-clark';
import { limitPoints } from './limit';
import { shareFarther } from './parametrisation';
import type { RefinedLevel } from './refine';
import { levelZero, MAX_REFINED_FACES, refinedFaceCount, refineOnce } from './refine';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { connectivityOf } from '../mesh/topology';

/** What a map measures from, and what a renderer must displace: the limit surface, the polygons, or level K's polygons. */
export type Base = 'limit' | 'polygons' | `level:${number}`;

/** @throws InvalidInputError BAD_OPTION */
export function parseBase(text: string): Base {
  if (text === 'limit' || text === 'polygons') return text;
  const found = /^level:(\d{1,2})$/.exec(text);
  if (found) return `level:${Number(found[1])}`;
  throw new InvalidInputError('BAD_OPTION', `base '${text}' is not known; use limit, polygons or level:K.`, { option: 'base' });
}

/** Refinements after which a base is only split linearly; Infinity for the limit surface. */
export const curvedLevels = (base: Base): number => (base === 'limit' ? Infinity : base === 'polygons' ? 0 : Number(base.slice(6)));

/** A base made dense enough to read points from: `level` times refined or split, with the normals to displace along. */
export interface BaseSurface {
  readonly mesh: PolyMesh; // positions on the base; UVs refined
  readonly normals: Float32Array; // 3 P; unit at the limit, linear blends of unit normals elsewhere: normalise after interpolating
  readonly level: number;
}

/** The base surface at exactly `levels` subdivisions: the proof's mesh before it is displaced. */
export function baseSurfaceAt(
  low: PolyMesh,
  base: Base,
  levels: number,
  surface: Partial<SurfaceOptions> = {},
  control?: RunControl,
): BaseSurface {
  if (refinedFaceCount(low, levels) > MAX_REFINED_FACES)
    throw new InvalidInputError('TOO_LARGE', `${levels} subdivisions would make ${refinedFaceCount(low, levels)} faces; ask for fewer.`, {
      option: 'subdivisions',
    });
  const curved = curvedLevels(base);
  let level = levelZero(low, surface);
  let normals: Float32Array | null = null;
  for (let k = 0; k < levels; k++) {
    throwIfAborted(control);
    control?.onProgress?.(k / levels, 'subdividing');
    if (k < curved) level = refineOnce(level);
    else {
      normals = refineLinear(normals ?? vertexNormals(level.mesh), 3, connectivityOf(level.mesh), level.edges);
      level = refineOnce(level, 'linear');
    }
  }
  if (base === 'limit') return atLimit(level, levels);
  // fewer subdivisions than the base's own level: its polygons as far as they go
  return { mesh: level.mesh, normals: normals ?? vertexNormals(level.mesh), level: levels };
}

function atLimit(level: RefinedLevel, levels: number): BaseSurface {
  const { positions, normals, uvs } = limitPoints(level);
  return { mesh: { ...level.mesh, positions, uvs: uvs ?? level.mesh.uvs }, normals, level: levels };
}

/** Faces beyond which a base is not refined further than its stack asks for. */
const DENSE_ENOUGH = 2_000_000;
/** The same for each texel of the map: edges of an eighth of a texel. */
const FACES_A_TEXEL = 64;
/** Levels that a base is refined at least: after the first all faces are quads, and the second says how far they are from the surface. */
const AT_LEAST = 2;
/** How far place and UV of the base's triangles may be apart from the surface's, as a share of the mesh's extent, and the share of its area that
 *  may be farther: around points of other than four faces the parametrisation of a limit surface never becomes linear, however finely it is
 *  refined, in faces that shrink fourfold a level. */
const APART_SHARE = 1e-5;
const AREA_SHARE = 1e-3;

export interface MeasuringOptions {
  /** Levels that it has at least. */
  readonly atLeast: number;
  /** Of the map; base faces far smaller than its texels would tell nothing. */
  readonly texels: number;
  readonly surface: Partial<SurfaceOptions>;
  /** A level whose surface is wanted too; null for none. */
  readonly alsoAt: number | null;
  /** Hears of each smooth level when it is made: its own points, not yet those at the limit. The mesh is lent. */
  readonly onLevel: ((mesh: PolyMesh, level: number) => void) | null;
}

/** A base and the same one level coarser or more, where that was wanted and came up on the way. */
export interface MeasuringBase {
  readonly base: BaseSurface;
  readonly also: BaseSurface | null;
}

/** The base surface for measuring: at least `atLeast` levels, then refined until its triangles agree with what a renderer displaces at any
 *  level, in place and in which UV belongs to which place: to 1e-5 of the extent on all but a thousandth of the area, or until 2 million
 *  faces or 64 a texel are reached. A quad is not its two triangles where points and UVs are warped against each other, also when it is flat.
 *  The level used is in the result. */
export function baseSurfaceForMeasuring(
  low: PolyMesh,
  base: Base,
  { atLeast = 0, texels = Infinity, surface = {}, alsoAt = null, onLevel = null }: Partial<MeasuringOptions> = {},
  control?: RunControl,
): MeasuringBase {
  const tolerance = APART_SHARE * extentOf(low.positions);
  const denseEnough = Math.min(DENSE_ENOUGH, FACES_A_TEXEL * texels);
  const curved = curvedLevels(base);
  const needed = Math.max(atLeast, Number.isFinite(curved) ? curved : 0);
  const compared = Math.max(needed, AT_LEAST);
  let level = levelZero(low, surface);
  let normals: Float32Array | null = null;
  let before: { readonly level: RefinedLevel; readonly found: BaseSurface } | null = null;
  let also: BaseSurface | null = null;
  const smoother = (coarser: RefinedLevel, k: number): RefinedLevel => {
    const made = refineOnce(coarser);
    onLevel?.(made.mesh, k);
    return made;
  };
  onLevel?.(level.mesh, 0);
  for (let k = 0; ; k++) {
    throwIfAborted(control);
    // a level that will surely come is made before this one's limit: somebody may wait for it
    const next = k < Math.min(needed, curved) ? smoother(level, k + 1) : null;
    const more = k === 0 ? cornerCount(low) : 4 * faceCount(level.mesh);
    const isDense = k >= needed && more > denseEnough;
    // the first that may do is compared with the one before, unless it is as dense as a base gets
    const isBefore = k + 1 >= compared && (4 * more <= denseEnough || k === alsoAt);
    if (k >= compared || isDense || isBefore) {
      const found: BaseSurface =
        base === 'limit' ? atLimit(level, k) : { mesh: level.mesh, normals: normals ?? vertexNormals(level.mesh), level: k };
      if (k === alsoAt) also = found;
      if (isDense) return { base: found, also };
      // the next level's points lie a quarter as far from the triangles between them as this one's
      if (k >= compared && before !== null && shareFarther(before.level, before.found.mesh, found.mesh, 4 * tolerance) <= AREA_SHARE)
        return { base: found, also };
      before = { level, found };
    }
    if (k < curved) level = next ?? smoother(level, k + 1);
    else {
      normals = refineLinear(normals ?? vertexNormals(level.mesh), 3, connectivityOf(level.mesh), level.edges);
      level = refineOnce(level, 'linear');
    }
  }
}
