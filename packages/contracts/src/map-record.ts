import { MAP_KIND_NAMES, RECORDED_FRAMES } from '@estampe/core';
import * as z from 'zod';
import { encodingNumber } from './spans';
import { baseName, colourSpace, padding, shadingKind, surfaceShape, tileNumber } from './pass';
import { plainText } from './plain-text';

const three = (of: z.ZodNumber) => z.tuple([of, of, of]);
/** One number, or one a channel: a list, or its text where a format knows no lists. */
const perChannel = (of: z.ZodNumber) =>
  z.union([
    of,
    three(of),
    z
      .string()
      .max(120)
      .transform((text, context): unknown => {
        try {
          return JSON.parse(text);
        } catch {
          context.addIssue({ code: 'custom', message: 'not a list' });
          return z.NEVER;
        }
      })
      .pipe(three(of)),
  ]);

/** The keys of a map's record as they are read from a file that may come from elsewhere: each may be missing, none may be nonsense. */
export const mapRecordSchema = z.object({
  kind: z.enum(MAP_KIND_NAMES),
  frame: z.enum(RECORDED_FRAMES).nullable(),
  base: baseName,
  baseLevel: z.number().int().min(0).max(16),
  ...surfaceShape,
  tile: tileNumber,
  unit: plainText(32),
  filter: z.enum(['bilinear', 'nearest']),
  lowHash: plainText(128),
  match: plainText(32),
  reach: z.number(),
  samples: z.number().int(),
  padding,
  covered: z.number().int().min(0),
  missed: z.number().int().min(0),
  doubtful: z.number().int().min(0),
  mended: z.number().int().min(0),
  missedShare: z.number().min(0).max(1),
  seamsMatched: z.enum(['yes', 'no']),
  texelsFitted: z.enum(['yes', 'no']),
  normalSource: z.enum(['parameter', 'hit', 'closest']).nullable(),
  frameLevel: z.number().int().min(0).max(16).nullable(),
  frameRule: z.union([z.literal(1), z.literal(2)]).nullable(),
  radius: z.number().positive().nullable(),
  rays: z.number().int().positive().nullable(),
  raysCast: z.number().int().positive().nullable(),
  seed: z.number().int().min(0).nullable(),
  lift: z.number().nullable(),
  distance: z.number().positive().nullable(),
  colourSpace: colourSpace.nullable(),
  shade: shadingKind.nullable(),
  strength: z.number().min(0).max(1).nullable(),
  depth: z.enum(['8', '16', 'half', 'float']).nullable(),
  midpoint: perChannel(encodingNumber('midpoint')).nullable(),
  scale: perChannel(encodingNumber('scale')).nullable(),
  axes: plainText(64).nullable(),
  green: plainText(8).nullable(),
  keepBlue: z.enum(['yes', 'no']).nullable(),
  clippedShare: z.number().min(0).max(1).nullable(),
});

export type MapRecordKeys = Partial<z.infer<typeof mapRecordSchema>>;
const RECORD_KEYS = Object.keys(mapRecordSchema.shape) as (keyof typeof mapRecordSchema.shape)[];

/** Checks what a file says of itself. Keys that make no sense are left out and named.
 *  @returns the usable keys, and the names of the others */
export function parseMapRecord(raw: Readonly<Record<string, unknown>>): { record: MapRecordKeys; refused: string[] } {
  const record: Record<string, unknown> = {};
  const refused: string[] = [];
  for (const key of RECORD_KEYS) {
    if (raw[key] === undefined || raw[key] === null) continue;
    const parsed = mapRecordSchema.shape[key].safeParse(raw[key]);
    if (parsed.success) record[key] = parsed.data;
    else refused.push(key);
  }
  return { record, refused };
}
