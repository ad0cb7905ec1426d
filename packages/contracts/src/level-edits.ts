import type { MeshFormatId } from '@estampe/core';
import { BRUSH_TOOLS, MESH_FORMATS } from '@estampe/core';
import * as z from 'zod';
import { transferSettingsSchema } from './light-edits';

/** What may be asked of the levels of a part. Each change is a state that can be gone back from. */

/** Points that the strokes of one change pass over, all together. */
export const MAX_STROKE_POINTS = 200_000;

export const strokeSchema = z
  .strictObject({
    tool: z.enum(BRUSH_TOOLS),
    /** In the asset's unit. */
    radius: z.number().positive('a number above 0').max(1e9),
    /** Below 0 for pushing inwards. */
    strength: z.number().min(-1).max(1),
    points: z.array(z.number().int().min(0)).max(MAX_STROKE_POINTS).default([]),
    /** A group instead of the points. */
    group: z.string().min(1).max(200).nullable().default(null),
  })
  .refine(({ tool, strength }) => tool === 'push' || strength >= 0, { path: ['strength'], message: 'only pushing goes inwards, below 0' })
  .refine(({ points, group }) => points.length > 0 !== (group !== null), { path: ['points'], message: 'points or a group' });
export type StrokeRequest = z.infer<typeof strokeSchema>;

export const levelEditSchema = z.discriminatedUnion('op', [
  /** One level more on top, smooth: for detail to come. */
  z.strictObject({ op: z.literal('add') }),
  /** One level more on top, put onto the sculpt that the stack was made from. */
  z.strictObject({ op: z.literal('project'), reach: transferSettingsSchema.shape.reach }),
  /** The finest level goes, or the base, which raises it by a level. */
  z.strictObject({ op: z.literal('drop'), end: z.enum(['top', 'base']) }),
  /** Coarser levels below, as the connectivity tells; null for as many as there are. */
  z.strictObject({ op: z.literal('recover'), levels: z.number().int().min(1).max(12).nullable().default(1) }),
  /** The base is moved to where the smooth surface really is. */
  z.strictObject({ op: z.literal('settle') }),
  /** The finest level under a brush. */
  z.strictObject({
    op: z.literal('brush'),
    strokes: z
      .array(strokeSchema)
      .min(1)
      .max(1000)
      .refine(
        (strokes) => strokes.reduce((n, s) => n + s.points.length, 0) <= MAX_STROKE_POINTS,
        'too many strokes at once; keep these, then go on',
      ),
  }),
]);
export type LevelEditRequest = z.infer<typeof levelEditSchema>;

/** Formats that a level is written in. */
export const WRITTEN_FORMATS = (Object.keys(MESH_FORMATS) as MeshFormatId[]).filter((id) => MESH_FORMATS[id].written);
export const levelFileSchema = z.object({ level: z.coerce.number().int().min(0).max(99), format: z.enum(WRITTEN_FORMATS) });
