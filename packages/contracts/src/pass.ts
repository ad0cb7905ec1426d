import type { ExtractOptions, MapKind } from '@estampe/core';
import {
  EXTRACT_DEFAULTS,
  EXTRACT_RANGES,
  heeds,
  isDifference,
  isFittable,
  MAP_KIND_NAMES,
  MAX_MAP_SIDE,
  parseBase,
  SHADING_KINDS,
} from '@estampe/core';
import * as z from 'zod';
import { KIND_WORDS } from './kind-words';

/** A whole number in the range that the core allows. */
export const between = (option: Exclude<keyof typeof EXTRACT_RANGES, 'length'>): z.ZodNumber => {
  const [min, max] = EXTRACT_RANGES[option];
  return z.number().int().min(min).max(max);
};

/** A length that somebody gives: reach, distance, radius, tolerance. */
export const givenLength = z.number().min(EXTRACT_RANGES.length[0]).max(EXTRACT_RANGES.length[1]);

/** Texels, or all of the tile; -1 said so once. */
export const padding = z.union([z.literal('fill'), z.literal(-1).transform(() => 'fill' as const), between('padding')]);

/** Smallest side of a map that is worth storing. */
const MIN_SIDE = 16;
const mapSide = z.number().int().min(MIN_SIDE).max(MAX_MAP_SIDE);
export const tileNumber = z.number().int().min(1001).max(9999);
export const baseName = z.string().regex(/^(limit|polygons|level:\d{1,2})$/, 'limit, polygons or level:K');
export const surfaceShape = {
  boundary: z.enum(['edge-and-corner', 'edge-only']),
  uv: z.enum(['linear', 'corners', 'boundaries', 'smooth']),
};
export const shadingKind = z.enum(SHADING_KINDS);
export const colourSpace = z.enum(['sRGB', 'linear']);

/** How a pass over the surface measures, whatever maps it makes: what the screen, the API, recipes and the command line can set. Lengths are in
 *  the asset's unit. What a kind does not heed (`MAP_KINDS`) means nothing to it. */
export const passSchema = z.strictObject({
  size: z.union([mapSide, z.tuple([mapSide, mapSide])]),
  base: baseName,
  match: z.enum(['auto', 'stack', 'rays', 'closest']),
  /** Null finds it. */
  reach: givenLength.nullable(),
  samples: between('samples'),
  padding,
  ...surfaceShape,
  /** Along seams, both sides read alike. */
  matchSeams: z.boolean().default(false),
  fitTexels: z.boolean().default(false),
  /** Normal maps. */
  frame: z.enum(['mikk', 'object']).default('mikk'),
  forHeights: z.boolean().default(true),
  /** Vector maps. */
  vectorFrame: z.enum(['derivative', 'mikk', 'object']).default('derivative'),
  /** Occlusion: rays a sample, how far they look (null for any distance), seed. */
  occlusionRays: between('rays').default(EXTRACT_DEFAULTS.occlusionRays),
  occlusionDistance: givenLength.nullable().default(null),
  seed: between('seed').default(EXTRACT_DEFAULTS.seed),
  /** Thickness: how far through the sculpt it looks; null takes a tenth of its extent. */
  thicknessDistance: givenLength.nullable().default(null),
  /** Curvature and hollows: radius of the ball; null takes a hundredth of the sculpt's extent. */
  radius: givenLength.nullable().default(null),
  /** What the sculpt's point colours are; they are kept as they are stored. */
  colourSpace: colourSpace.default('sRGB'),
  /** Colours: darkened by another map of the same pass, and how strongly. */
  shade: z.enum(['none', ...SHADING_KINDS]).default('none'),
  shadeStrength: z.number().min(0).max(1).default(0.5),
});
export type Pass = z.infer<typeof passSchema>;

export const PASS_DEFAULTS = {
  size: EXTRACT_DEFAULTS.width,
  base: 'limit',
  match: 'auto',
  reach: null,
  samples: EXTRACT_DEFAULTS.samples,
  padding: EXTRACT_DEFAULTS.padding,
  ...EXTRACT_DEFAULTS.surface,
  matchSeams: EXTRACT_DEFAULTS.matchSeams,
  fitTexels: EXTRACT_DEFAULTS.fitTexels,
  frame: EXTRACT_DEFAULTS.frame,
  forHeights: true,
  vectorFrame: EXTRACT_DEFAULTS.vectorFrame,
  occlusionRays: EXTRACT_DEFAULTS.occlusionRays,
  occlusionDistance: null,
  seed: EXTRACT_DEFAULTS.seed,
  thicknessDistance: null,
  radius: null,
  colourSpace: 'sRGB',
  shade: 'none',
  shadeStrength: 0.5,
} as const satisfies Pass;

/** What a pass asks of the core: the one translation of its settings. @throws InvalidInputError BAD_OPTION for a base that is none */
export function coreOptions(pass: Pass, kinds: readonly MapKind[]): Partial<ExtractOptions> {
  const [width, height] = typeof pass.size === 'number' ? [pass.size, pass.size] : pass.size;
  const { shade } = pass;
  return {
    width,
    height,
    base: parseBase(pass.base),
    match: pass.match,
    reach: pass.reach ?? 'auto',
    samples: pass.samples,
    padding: pass.padding,
    surface: { boundary: pass.boundary, uv: pass.uv },
    maps: kinds,
    frame: pass.frame,
    vectorFrame: pass.vectorFrame,
    normalsForHeights: pass.forHeights,
    matchSeams: pass.matchSeams,
    fitTexels: pass.fitTexels,
    occlusionRays: pass.occlusionRays,
    occlusionDistance: pass.occlusionDistance ?? Infinity,
    thicknessDistance: pass.thicknessDistance ?? 'auto',
    seed: pass.seed,
    radius: pass.radius ?? 'auto',
    shade:
      shade === 'none' || !kinds.some((kind) => heeds(kind, 'shade'))
        ? null
        : { by: shade, strength: pass.shadeStrength, space: pass.colourSpace },
  };
}

/** Why a pass from a level to itself would be empty; null where it measures only what one mesh has, or two levels. */
export function whySameLevel(
  { fromLevel, toLevel, frame }: Pick<LevelsPass, 'fromLevel' | 'toLevel' | 'frame'>,
  kinds: readonly MapKind[],
): string | null {
  const empty = fromLevel === toLevel ? kinds.find((kind) => isDifference(kind, frame)) : undefined;
  return empty === undefined
    ? null
    : `From and to are the same level, so the ${KIND_WORDS[empty]} map would be empty; measure to a higher level, or only maps that one mesh has (occlusion, curvature, colour and so on).`;
}

/** One pass between two levels of an asset. */
export const levelsPassSchema = passSchema.extend({
  fromLevel: z.number().int().min(0).max(16),
  /** The same as `fromLevel` for maps that one mesh has. */
  toLevel: z.number().int().min(0).max(16),
  // what the bench offers of these
  size: mapSide,
  base: z.enum(['limit', 'polygons']),
  match: z.enum(['auto', 'stack', 'rays']),
});
export type LevelsPass = z.infer<typeof levelsPassSchema>;
/** One map of it. */
export const extractSettingsSchema = levelsPassSchema.extend({ kind: z.enum(MAP_KIND_NAMES) });
export type ExtractSettings = z.infer<typeof extractSettingsSchema>;
/** How a kind is measured in a pass: texels of some are not fitted. */
export const settingsOfKind = (pass: LevelsPass, kind: MapKind): ExtractSettings => ({
  ...pass,
  kind,
  fitTexels: pass.fitTexels && isFittable(kind),
});
/** A pass as it is asked for, with one map a kind. */
export const measureSchema = levelsPassSchema.extend({
  kinds: z
    .array(z.enum(MAP_KIND_NAMES))
    .min(1, 'choose at least one map')
    .refine((kinds) => new Set(kinds).size === kinds.length, 'choose each map once'),
  /** Tiles to measure; null for all that the light mesh uses. */
  tiles: z.array(tileNumber).min(1, 'choose at least one tile').max(1000).nullable().default(null),
});
export type MeasureRequest = z.infer<typeof measureSchema>;
export const EXTRACT_SETTINGS_DEFAULTS: ExtractSettings = { ...PASS_DEFAULTS, fromLevel: 0, toLevel: 1, kind: 'scalar' };
export const MEASURE_DEFAULTS: MeasureRequest = { ...PASS_DEFAULTS, fromLevel: 0, toLevel: 1, kinds: ['scalar'], tiles: null };
