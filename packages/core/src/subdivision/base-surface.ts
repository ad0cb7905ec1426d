import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount } from '../mesh/poly-mesh';
import { vertexNormals } from '../mesh/normals';
import { diagonalOf } from '../mesh/bounds';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { refineLinear } from './catmull-clark';
import { limitPoints } from './limit';
import type { RefinedLevel } from './refine';
import { connectivityOf, levelZero, MAX_REFINED_FACES, refinedFaceCount, refineOnce } from './refine';
import type { SurfaceOptions } from './rules';

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
  /** Largest distance between this mesh's edges and the surface it stands for, estimated; 0 for polygons. */
  readonly sagitta: number;
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
  return { mesh: level.mesh, normals: normals ?? vertexNormals(level.mesh), level: levels, sagitta: 0 };
}

function atLimit(level: RefinedLevel, levels: number): BaseSurface {
  const { positions, normals } = limitPoints(level);
  const mesh = { ...level.mesh, positions };
  return { mesh, normals, level: levels, sagitta: largestSagitta(level, positions, normals) };
}

/** For an edge p-q with unit end normals, a smooth surface leaves the chord by about |(q - p) . (np - nq)| / 8. */
function largestSagitta({ edges: { edgeVerts } }: RefinedLevel, p: Float32Array, n: Float32Array): number {
  let worst = 0;
  for (let e = 0; e < edgeVerts.length; e += 2) {
    const a = 3 * edgeVerts[e];
    const b = 3 * edgeVerts[e + 1];
    const s = Math.abs(
      (p[b] - p[a]) * (n[a] - n[b]) + (p[b + 1] - p[a + 1]) * (n[a + 1] - n[b + 1]) + (p[b + 2] - p[a + 2]) * (n[a + 2] - n[b + 2]),
    );
    if (s > worst) worst = s;
  }
  return worst / 8;
}

/** Faces beyond which a base is not refined further than its stack asks for. */
const DENSE_ENOUGH = 2_000_000;
/** Allowed distance from the limit surface, as a share of the diagonal. */
const SAGITTA_SHARE = 1e-5;

/** The base surface for measuring: at least `atLeast` levels, then refined until it keeps within 1e-5 of the diagonal of the limit
 *  surface or 2 million faces are reached. Polygonal bases need no more than their own level. The level used is in the result. */
export function baseSurfaceForMeasuring(
  low: PolyMesh,
  base: Base,
  atLeast: number,
  surface: Partial<SurfaceOptions> = {},
  control?: RunControl,
): BaseSurface {
  if (base !== 'limit') return baseSurfaceAt(low, base, Math.max(atLeast, curvedLevels(base)), surface, control);
  const tolerance = SAGITTA_SHARE * diagonalOf(low.positions);
  let level = levelZero(low, surface);
  for (let k = 0; ; k++) {
    throwIfAborted(control);
    if (k >= atLeast) {
      const found = atLimit(level, k);
      const next = k === 0 ? cornerCount(low) : 4 * faceCount(level.mesh);
      if (found.sagitta <= tolerance || next > DENSE_ENOUGH) return found;
    }
    level = refineOnce(level);
  }
}
