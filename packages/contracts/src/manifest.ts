import { MAP_KIND_NAMES } from '@estampe/core';
import * as z from 'zod';
import { padding } from './pass';
import { outcomeSchema } from './spans';
import { DEPTHS, FILE_TYPES, UNITS } from './values';

/** What a delivery says of itself: every number that lighting needs, for people and for programs. Lengths in the asset's unit. */

const file = z.object({ file: z.string(), sha256: z.string(), bytes: z.number().int() });
const perChannel = z.union([z.number(), z.tuple([z.number(), z.number(), z.number()])]);
export const deliveredMapSchema = z.object({
  kind: z.enum(MAP_KIND_NAMES),
  /** Along the normal, or the frame that vectors and directions are written in; none for values of the surface. */
  space: z.enum(['along-normal', 'derivative', 'mikk', 'object', 'none']),
  files: z.array(
    file.extend({
      tile: z.number().int(),
      /** The tile's own figures; absent in deliveries from before they were kept. */
      step: z.number().optional(),
      clippedShare: z.number().optional(),
      missedShare: z.number().optional(),
      terracedShare: z.number().nullable().optional(),
    }),
  ),
  size: z.tuple([z.number().int(), z.number().int()]),
  fileType: z.enum(FILE_TYPES),
  depth: z.enum(DEPTHS),
  channels: z.string(),
  colour: z.literal('raw'),
  /** One for all channels, or one a channel. */
  midpoint: perChannel,
  scale: perChannel,
  axes: z.string().nullable(),
  green: z.enum(['up', 'down']).nullable(),
  keepBlue: z.boolean().nullable(),
  /** Over all tiles: the largest step and rest error, shares of all texels. */
  step: z.number(),
  restError: z.number(),
  /** Largest displacement that the files hold; null for maps that move nothing. */
  bound: z.number().nullable(),
  clippedShare: z.number(),
  missedShare: z.number(),
  terracedShare: z.number().nullable(),
  base: z.string(),
  baseLevel: z.number().int(),
  match: z.string(),
  normalSource: z.string().nullable(),
  /** What the other kinds need to be made or read again; absent in deliveries from before there were such kinds. */
  frameLevel: z.number().int().nullable().default(null),
  radius: z.number().nullable().default(null),
  rays: z.number().int().nullable().default(null),
  seed: z.number().int().nullable().default(null),
  distance: z.number().nullable().default(null),
  colourSpace: z.string().nullable().default(null),
  shade: z.string().nullable().default(null),
  strength: z.number().nullable().default(null),
  reach: z.number(),
  samples: z.number().int(),
  padding,
  filter: z.string(),
  seamsMatched: z.boolean(),
  texelsFitted: z.boolean(),
  proof: outcomeSchema,
});
export type DeliveredMap = z.infer<typeof deliveredMapSchema>;

export const manifestSchema = z.object({
  format: z.literal('estampe-delivery-1'),
  asset: z.string(),
  version: z.number().int().min(1),
  createdAt: z.string(),
  unit: z.enum(UNITS),
  low: file.extend({
    /** Of points, polygons and UVs in their order; every map carries it. */
    meshHash: z.string(),
    points: z.number().int(),
    faces: z.number().int(),
    level: z.number().int(),
    tiles: z.array(z.number().int()),
    /** How polygons were split for MikkTSpace. */
    triangulation: z.string(),
  }),
  sculpt: z.object({
    points: z.number().int(),
    faces: z.number().int(),
    diagonal: z.number(),
    /** Level in the stack; null for a free sculpt. */
    level: z.number().int().nullable(),
    file: file.nullable(),
  }),
  subdivision: z.object({
    scheme: z.literal('catmull-clark'),
    steps: z.number().int(),
    boundary: z.string(),
    uv: z.string(),
  }),
  maps: z.array(deliveredMapSchema),
});
export type Manifest = z.infer<typeof manifestSchema>;
