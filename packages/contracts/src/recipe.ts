import type { MapKind } from '@estampe/core';
import { asksRay, displaces, heeds, MAP_KIND_NAMES } from '@estampe/core';
import * as z from 'zod';
import { UP_AXES } from './api';
import { encodingNumber } from './spans';
import { DEPTHS, FILE_TYPES, UNITS } from './values';
import type { Pass } from './pass';
import { givenLength, padding, PASS_DEFAULTS, passSchema, shadingKind, surfaceShape } from './pass';
import { plainText, plainTitle } from './plain-text';

const { shape } = passSchema;

/** One map of a delivery: what to measure and how to store it. Everything but the kind has a default. */
export const mapRecipeSchema = z.strictObject({
  kind: z.enum(MAP_KIND_NAMES),
  size: shape.size.default(PASS_DEFAULTS.size),
  base: shape.base.default(PASS_DEFAULTS.base),
  match: shape.match.default(PASS_DEFAULTS.match),
  reach: z.union([z.literal('auto'), givenLength]).default('auto'),
  samples: shape.samples.default(PASS_DEFAULTS.samples),
  padding: padding.default(PASS_DEFAULTS.padding),
  /** As on the screen, where nobody asks for something else. */
  matchSeams: z.boolean().default(true),
  fitTexels: shape.fitTexels,
  /** Vector maps (by default the derivative frame) and normal maps (by default MikkTSpace). */
  frame: z.enum(['derivative', 'mikk', 'object']).optional(),
  /** Normals and values of the surface: read where a scalar map puts it; by default where this delivery has one. */
  forHeights: z.boolean().optional(),
  /** Occlusion; its distance, and that of a thickness. */
  rays: shape.occlusionRays,
  distance: givenLength.optional(),
  seed: shape.seed,
  /** Curvature and hollows. */
  radius: z.union([z.literal('auto'), givenLength]).default('auto'),
  colourSpace: shape.colourSpace,
  /** Colours: darkened by occlusion or hollows of the same pass (with `rays`, `distance`, `seed` or `radius`), and how strongly. */
  shade: shadingKind.optional(),
  strength: shape.shadeStrength.unwrap().optional(),
  depth: z.enum(DEPTHS).optional(),
  fileType: z.enum(FILE_TYPES).optional(),
  /** Scalar maps: as the command line's --fit; midpoint and scale win over it. */
  fit: plainText(40).optional(),
  midpoint: z.union([z.literal('exact'), encodingNumber('midpoint')]).optional(),
  scale: encodingNumber('scale').optional(),
  /** Vector maps: channels with signed letters, and whether the three share one range. */
  axes: plainText(64).optional(),
  ranges: z.enum(['shared', 'each']).default('shared'),
  green: z.enum(['up', 'down']).default('up'),
  keepBlue: z.boolean().default(true),
});
export type MapRecipe = z.infer<typeof mapRecipeSchema>;

/** A delivery as a file: meshes beside it, maps to make, what to prove. */
export const recipeSchema = z.strictObject({
  asset: plainTitle(80),
  unit: z.enum(UNITS).default('unit'),
  /** Which way is up, for pictures and for mesh files that say it; null where it does not matter. */
  up: z.enum(UP_AXES).nullable().default(null),
  /** Files, relative to the recipe. */
  low: z.string().min(1),
  sculpt: z.string().min(1),
  /** Level of the light mesh in its stack, for names only. */
  lowLevel: z.number().int().min(0).max(16).default(0),
  maps: z.array(mapRecipeSchema).min(1).max(32),
  boundary: surfaceShape.boundary.default(PASS_DEFAULTS.boundary),
  uv: surfaceShape.uv.default(PASS_DEFAULTS.uv),
  /** Render subdivisions to prove; by default as many as lie between light mesh and sculpt, else 4. */
  subdivisions: z.number().int().min(0).max(10).optional(),
  /** Largest 99th percentile of the distance: a length, or a share of the diagonal such as "0.1%". */
  tolerance: z.union([givenLength, z.string().regex(/^[0-9.]+%$/, 'a length, or a share such as "0.1%"')]).optional(),
  /** Largest 95th percentile of a normal map's angle. */
  normalToleranceDegrees: z.number().positive().max(180).optional(),
  /** Puts the sculpt into the delivery too, so that it can be proven from it alone. */
  withSculpt: z.boolean().default(false),
});
export type Recipe = z.infer<typeof recipeSchema>;

/** The pass that makes some maps of a recipe together, and its kinds. What darkens colours is the map of that kind among them, else one made
 *  with the colours' own settings. @param group maps that agree (`passes` of the command line), at least one */
export function passOfRecipe(recipe: Recipe, group: readonly MapRecipe[]): { readonly pass: Pass; readonly kinds: readonly MapKind[] } {
  const [first] = group;
  const colours = group.find((m) => m.shade !== undefined);
  const kinds = new Set(group.map((m) => m.kind));
  if (colours?.shade) kinds.add(colours.shade);
  const heeding = (option: 'frame' | 'rays' | 'radius', more = (_: MapRecipe): boolean => true): MapRecipe | undefined =>
    group.find((m) => heeds(m.kind, option) && more(m)) ?? (colours?.shade && heeds(colours.shade, option) ? colours : undefined);
  const looksAround = heeding('rays');
  const pass: Pass = {
    ...PASS_DEFAULTS,
    size: first.size,
    base: first.base,
    match: first.match,
    reach: first.reach === 'auto' ? null : first.reach,
    samples: first.samples,
    padding: first.padding,
    boundary: recipe.boundary,
    uv: recipe.uv,
    matchSeams: group.some((m) => m.matchSeams),
    fitTexels: group.some((m) => m.fitTexels),
    frame: heeding('frame', (m) => !displaces(m.kind))?.frame === 'object' ? 'object' : PASS_DEFAULTS.frame,
    vectorFrame: heeding('frame', (m) => displaces(m.kind))?.frame ?? PASS_DEFAULTS.vectorFrame,
    forHeights: group.find((m) => m.forHeights !== undefined)?.forHeights ?? asksRay(recipe.maps.map((m) => m.kind)),
    occlusionRays: looksAround?.rays ?? PASS_DEFAULTS.occlusionRays,
    occlusionDistance: looksAround?.distance ?? null,
    seed: looksAround?.seed ?? PASS_DEFAULTS.seed,
    thicknessDistance: group.find((m) => heeds(m.kind, 'distance') && !heeds(m.kind, 'rays'))?.distance ?? null,
    radius: lengthOrNull(heeding('radius')?.radius),
    colourSpace: colours?.colourSpace ?? PASS_DEFAULTS.colourSpace,
    shade: colours?.shade ?? 'none',
    shadeStrength: colours?.strength ?? PASS_DEFAULTS.shadeStrength,
  };
  return { pass, kinds: [...kinds] };
}

const lengthOrNull = (length: number | 'auto' | undefined): number | null => (typeof length === 'number' ? length : null);
