import { MAX_MAP_SIDE } from '@estampe/core';
import * as z from 'zod';
import { between, DEPTHS, encodingNumber, givenLength, FILE_TYPES, MAP_KINDS, UNITS } from './api';
import { plainText, plainTitle } from './plain-text';

const side = z.number().int().min(16).max(MAX_MAP_SIDE);

/** One map of a delivery: what to measure and how to store it. Everything but the kind has a default. */
export const mapRecipeSchema = z.strictObject({
  kind: z.enum(MAP_KINDS),
  size: z.union([side, z.tuple([side, side])]).default(2048),
  base: z
    .string()
    .regex(/^(limit|polygons|level:\d{1,2})$/, 'limit, polygons or level:K')
    .default('limit'),
  match: z.enum(['auto', 'stack', 'rays', 'closest']).default('auto'),
  reach: z.union([z.literal('auto'), givenLength]).default('auto'),
  samples: between('samples').default(1),
  padding: z.union([z.literal('fill'), between('padding')]).default(16),
  matchSeams: z.boolean().default(false),
  fitTexels: z.boolean().default(false),
  /** Vector maps (by default the derivative frame) and normal maps (by default MikkTSpace). */
  frame: z.enum(['derivative', 'mikk', 'object']).optional(),
  /** Normals and values of the surface: read where a scalar map puts it; by default where this delivery has one. */
  forHeights: z.boolean().optional(),
  /** Occlusion. */
  rays: between('rays').default(64),
  distance: givenLength.optional(),
  seed: between('seed').default(1),
  /** Curvature and hollows. */
  radius: z.union([z.literal('auto'), givenLength]).default('auto'),
  colourSpace: z.enum(['sRGB', 'linear']).default('sRGB'),
  /** Colours: darkened by occlusion or hollows of the same pass (with `rays`, `distance`, `seed` or `radius`), and how strongly. */
  shade: z.enum(['occlusion', 'hollows']).optional(),
  strength: z.number().min(0).max(1).optional(),
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
  /** Files, relative to the recipe. */
  low: z.string().min(1),
  sculpt: z.string().min(1),
  /** Level of the light mesh in its stack, for names only. */
  lowLevel: z.number().int().min(0).max(16).default(0),
  maps: z.array(mapRecipeSchema).min(1).max(32),
  boundary: z.enum(['edge-and-corner', 'edge-only']).default('edge-and-corner'),
  uv: z.enum(['linear', 'corners', 'boundaries', 'smooth']).default('linear'),
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
