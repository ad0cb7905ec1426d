import * as z from 'zod';
import { DEPTHS, FILE_TYPES, outcomeSchema, UNITS } from './api';

/** What a delivery says of itself: every number that lighting needs, for people and for programs. Lengths in the asset's unit. */

const file = z.object({ file: z.string(), sha256: z.string(), bytes: z.number().int() });
export const deliveredMapSchema = z.object({
  kind: z.enum(['scalar', 'normal']),
  /** `along the normal`, or the frame that directions are written in. */
  space: z.enum(['along-normal', 'mikk', 'object']),
  files: z.array(file.extend({ tile: z.number().int() })),
  size: z.tuple([z.number().int(), z.number().int()]),
  fileType: z.enum(FILE_TYPES),
  depth: z.enum(DEPTHS),
  channels: z.string(),
  colour: z.literal('raw'),
  midpoint: z.number(),
  scale: z.number(),
  axes: z.string().nullable(),
  green: z.enum(['up', 'down']).nullable(),
  keepBlue: z.boolean().nullable(),
  step: z.number(),
  restError: z.number(),
  /** Largest displacement that the files hold; null for normals. */
  bound: z.number().nullable(),
  clippedShare: z.number(),
  missedShare: z.number(),
  terracedShare: z.number().nullable(),
  base: z.string(),
  baseLevel: z.number().int(),
  match: z.string(),
  normalSource: z.string().nullable(),
  reach: z.number(),
  samples: z.number().int(),
  /** Texels; -1 fills the tile. */
  padding: z.number().int(),
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
