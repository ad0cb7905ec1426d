import type { ColourShade } from './shade-colours';
import type { NormalFrame } from '../frames/low-frames';
import type { MapKind } from '../raster/map-kinds';
import { asksRay, heeds, isFittable } from '../raster/map-kinds';
import { InvalidInputError } from '../runtime/errors';
import { checkRange } from '../runtime/options';
import type { Base } from '../subdivision/base-surface';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { SURFACE_DEFAULTS } from '../mesh/surface-rules';

export type Match = 'stack' | 'rays' | 'closest';
export type VectorFrameKind = 'derivative' | 'mikk' | 'object';

export interface ExtractOptions {
  readonly width: number;
  readonly height: number;
  readonly base: Base;
  /** `closest` has no heights. */
  readonly match: 'auto' | Match;
  /** Scene units, or found from the meshes. */
  readonly reach: 'auto' | number;
  readonly samples: number; // n x n a texel
  readonly padding: number | 'fill'; // texels, or all of the tile
  readonly surface: SurfaceOptions;
  readonly maps: readonly MapKind[];
  /** Of the normal map. */
  readonly frame: NormalFrame;
  /** Of the vector map. */
  readonly vectorFrame: VectorFrameKind;
  /** Level that derivative frames are computed on; by default the stack's, or that of the base for a free sculpt, at most 4. */
  readonly frameLevel: number | null;
  /** Normals and what else is read from the surface where the height map puts it; else, in one stack, at the same parameters.
   *  A height map in the same pass implies it. */
  readonly normalsForHeights: boolean;
  /** Fit the texels along seams, so that both sides read alike. */
  readonly matchSeams: boolean;
  /** Fit all texels to the bilinear filter: heights, vectors and normals. */
  readonly fitTexels: boolean;
  /** Occlusion: rays a sample, scene units within which things block, seed. */
  readonly occlusionRays: number;
  readonly occlusionDistance: number;
  /** Occlusion: whether samples share their rays with their neighbours, each casting an eighth of them; else each casts all. */
  readonly shareRays: boolean;
  /** Thickness: scene units within which the other side is looked for; by default a tenth of the sculpt's extent. */
  readonly thicknessDistance: 'auto' | number;
  readonly seed: number;
  /** Curvature and hollows: radius of the ball they are averaged over, scene units; by default a hundredth of the sculpt's extent. */
  readonly radius: 'auto' | number;
  /** Colours: what they are darkened by, measured in the same pass; null leaves them as they are. */
  readonly shade: ColourShade | null;
}

export const EXTRACT_DEFAULTS: ExtractOptions = {
  width: 2048,
  height: 2048,
  base: 'limit',
  match: 'auto',
  reach: 'auto',
  samples: 1,
  padding: 16,
  surface: SURFACE_DEFAULTS,
  maps: ['scalar'],
  frame: 'mikk',
  vectorFrame: 'derivative',
  frameLevel: null,
  normalsForHeights: false,
  matchSeams: false,
  fitTexels: false,
  occlusionRays: 64,
  occlusionDistance: Infinity,
  shareRays: true,
  thicknessDistance: 'auto',
  seed: 1,
  radius: 'auto',
  shade: null,
};

/** Texels a side that a map may have. */
export const MAX_MAP_SIDE = 16384;
/** Smallest and largest number of each option, wherever it is asked: screen, API, command line, recipe. All but lengths are whole. */
export const EXTRACT_RANGES = {
  side: [1, MAX_MAP_SIDE],
  samples: [1, 16],
  padding: [0, MAX_MAP_SIDE],
  rays: [1, 65536],
  seed: [0, 0xffffffff],
  /** Reach, distance, radius, tolerance, in scene units: what single precision can add to a place. */
  length: [1e-12, 1e12],
} as const;

/** Samples a side of a texel that fitting needs at least: fewer would not determine the texels. */
const FIT_SAMPLES = 2;
/** Samples a side of a texel that are taken. */
export const samplesOf = (o: Pick<ExtractOptions, 'samples' | 'fitTexels'>): number =>
  o.fitTexels ? Math.max(FIT_SAMPLES, o.samples) : o.samples;

/** @throws InvalidInputError BAD_OPTION naming what cannot be, or what does not go together */
export function checkOptions(o: ExtractOptions): void {
  checkRange('width', o.width, ...EXTRACT_RANGES.side, true);
  checkRange('height', o.height, ...EXTRACT_RANGES.side, true);
  checkRange('samples', o.samples, ...EXTRACT_RANGES.samples, true);
  if (o.padding !== 'fill') checkRange('padding', o.padding, ...EXTRACT_RANGES.padding, true);
  if (o.reach !== 'auto') checkRange('reach', o.reach, ...EXTRACT_RANGES.length);
  if (new Set(o.maps).size < o.maps.length)
    throw new InvalidInputError('BAD_OPTION', 'A map is asked for twice in one pass; ask for each kind once.', { option: 'maps' });
  checkRange('rays', o.occlusionRays, ...EXTRACT_RANGES.rays, true);
  if (o.occlusionDistance !== Infinity) checkRange('distance', o.occlusionDistance, ...EXTRACT_RANGES.length);
  if (o.thicknessDistance !== 'auto') checkRange('distance', o.thicknessDistance, ...EXTRACT_RANGES.length);
  checkRange('seed', o.seed, ...EXTRACT_RANGES.seed, true);
  if (o.radius !== 'auto') checkRange('radius', o.radius, ...EXTRACT_RANGES.length);
  if (o.shade !== null) {
    checkRange('strength', o.shade.strength, 0, 1);
    if (!o.maps.some((kind) => heeds(kind, 'shade')) || !o.maps.includes(o.shade.by))
      throw new InvalidInputError('BAD_OPTION', `Colours are darkened by ${o.shade.by} of the same pass; ask for both maps.`, {
        option: 'shade',
      });
  }
  if (o.maps.length === 0) throw new InvalidInputError('BAD_OPTION', 'No map is asked for; choose at least one.', { option: 'maps' });
  if (o.match === 'closest' && asksRay(o.maps))
    throw new InvalidInputError(
      'BAD_OPTION',
      'match closest cannot give heights along the normal; use auto, stack or rays for a scalar map.',
      {
        option: 'match',
      },
    );
  if (o.fitTexels && !o.maps.some(isFittable))
    throw new InvalidInputError(
      'BAD_OPTION',
      'Texels are fitted to the filter for heights, vectors and normals only; leave that off, or match seams.',
      {
        option: 'fit-texels',
      },
    );
  if (o.fitTexels && (o.width < 2 || o.height < 2))
    throw new InvalidInputError('BAD_OPTION', 'A map with one row or column cannot be fitted to the filter; make it larger.', {
      option: 'size',
    });
}
