import { ENCODING_RANGES } from '@estampe/core';
import * as z from 'zod';
import { extractSettingsSchema } from './pass';
import { plainText } from './plain-text';
import { DEPTHS, FILE_TYPES, hash, id, length } from './values';

/** A span between two levels: the fields that were measured, how they are encoded, and its proofs. Lengths are in the asset's unit, shares 0..1. */

/** A number in the range that the core allows for a map's encoding. */
export const encodingNumber = (option: keyof typeof ENCODING_RANGES): z.ZodNumber => {
  const [min, max] = ENCODING_RANGES[option];
  return z.number().min(min).max(max);
};
const storedRange = z.strictObject({ midpoint: encodingNumber('midpoint'), scale: encodingNumber('scale') });
export const encodingSchema = z.strictObject({
  depth: z.enum(DEPTHS),
  midpoint: encodingNumber('midpoint'),
  scale: encodingNumber('scale'),
  fit: plainText(40),
  fileType: z.enum(FILE_TYPES),
  /** Normal maps only. */
  green: z.enum(['up', 'down']).default('up'),
  keepBlue: z.boolean().default(true),
  /** Vector maps only: `R=+U G=+V B=+N`; empty for the plain order. */
  axes: plainText(64).default(''),
  /** Vector maps only: a range of its own for R, G and B; null where they share midpoint and scale. */
  each: z.tuple([storedRange, storedRange, storedRange]).nullable().default(null),
});
export type EncodingSettings = z.infer<typeof encodingSchema>;

const distanceSchema = z.object({
  mean: length,
  rms: length,
  p95: length,
  p99: length,
  max: length,
  toSculpt: z.object({ rms: length, max: length }),
  toProof: z.object({ rms: length, max: length }),
});
export const proofReportSchema = z.object({
  diagonal: length,
  subdivisions: z.number().int(),
  distance: distanceSchema,
  undisplaced: distanceSchema,
  unencoded: distanceSchema.nullable(),
  reachedShare: z.number().nullable(),
  seamGap: z.object({ rms: length, max: length }),
  normalAngle: z.object({ mean: z.number(), p95: z.number() }),
  missedShare: z.number().nullable(),
  clippedShare: z.number().nullable(),
  foldShare: z.number(),
  tolerance: z.number().nullable(),
  passed: z.boolean().nullable(),
});

const angle = z.object({ mean: z.number(), p95: z.number(), max: z.number() });
/** Angles in degrees. */
export const normalReportSchema = z.object({
  subdivisions: z.number().int(),
  /** Null where nothing could be compared. */
  normalAngle: angle.nullable(),
  bareAngle: angle.nullable(),
  missedShare: z.number().nullable(),
  clippedShare: z.number().nullable(),
  unmatchedShare: z.number(),
  tolerance: z.number().nullable(),
  passed: z.boolean().nullable(),
});
export type NormalReport = z.infer<typeof normalReportSchema>;

/** What can be said of a map that moves nothing: that its file reads back as the field. In the map's own unit. */
export const valuesReportSchema = z.object({
  covered: z.number().int(),
  /** Of decoded minus measured values over class 1; null where nothing is covered. */
  difference: z.object({ rms: z.number(), max: z.number() }).nullable(),
  missedShare: z.number().nullable(),
  clippedShare: z.number().nullable(),
  tolerance: z.null(),
  passed: z.null(),
});
export type ValuesReport = z.infer<typeof valuesReportSchema>;

/** A proof's figures, by the kind of map. */
export const outcomeSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('scalar'), report: proofReportSchema }),
  z.object({ kind: z.literal('vector'), report: proofReportSchema }),
  z.object({ kind: z.literal('values'), report: valuesReportSchema }),
  z.object({ kind: z.literal('normal'), report: normalReportSchema }),
]);
export type ProofOutcome = z.infer<typeof outcomeSchema>;

const place = z.tuple([z.number(), z.number(), z.number()]).readonly();
/** Where proof and sculpt are farthest apart; lengths, or degrees for a normal map. */
export const worstPlaceSchema = z.object({ position: place, normal: place, error: z.number(), on: z.enum(['proof', 'sculpt']) });
export type WorstPlaceInfo = z.infer<typeof worstPlaceSchema>;

export const sweepPointSchema = z.object({
  subdivisions: z.number().int(),
  faces: z.number().int(),
  rms: length,
  p99: length,
  max: length,
});
/** A closer look at a proof: its error by cause (RMS; null where it cannot be told apart) and over render subdivisions. */
export const studySchema = z.object({
  parts: z.object({
    subdivision: length.nullable(),
    sampling: length.nullable(),
    search: length.nullable(),
    encoding: length.nullable(),
  }),
  ladder: z.object({ exactPoints: length.nullable(), samplingBound: length.nullable(), unencoded: length.nullable(), written: length }),
  sweep: z.array(sweepPointSchema),
  knee: z.number().int().nullable(),
  seconds: z.number(),
});
export type StudyInfo = z.infer<typeof studySchema>;

/** Bilinear reads that texels were fitted to, and their RMS deviation before and after. */
export const fitGainSchema = z.object({ reads: z.number().int(), before: length, after: length });

export const fieldSchema = z.object({
  id,
  tile: z.number().int(),
  width: z.number().int(),
  height: z.number().int(),
  bytes: z.number().int(),
  match: z.string(),
  reach: length,
  baseLevel: z.number().int(),
  covered: z.number().int(),
  missed: z.number().int(),
  doubtful: z.number().int(),
  /** Texels that took the layer of a free sculpt that joins their neighbours, and the patches that they make up. */
  mended: z.number().int().default(0),
  sheets: z.number().int().default(0),
  min: length.nullable(),
  max: length.nullable(),
  /** The same of each channel; empty in fields from before this was kept. */
  ends: z
    .array(z.object({ min: length, max: length }))
    .max(3)
    .default([]),
  rays: z.number().int(),
  seconds: z.number(),
  /** What fitting texels and seams gained; null when not asked for. */
  fit: fitGainSchema.nullable().default(null),
  /** Curvature and hollows: mean edges of the sculpt that the radius spans. */
  radiusEdges: z.number().nullable().default(null),
  /** Mean length on the surface of a texel's side; null in fields from before this was kept. */
  texelUnits: length.nullable().default(null),
  /** Content of the meshes it was measured from; empty in fields from before this was kept. */
  lowHash: z.string().default(''),
  sculptHash: z.string().default(''),
  /** Smaller pictures of it in blocks, to look at; null in small fields, and in those from before these were made. */
  picturesHash: hash.nullable().default(null),
  /** How its values are spread: a list a component, over equal bars from -most to most; null in fields from before this was kept. */
  spread: z
    .object({
      most: length,
      counts: z
        .array(z.array(z.number().int().min(0)).min(2))
        .min(1)
        .max(3),
    })
    .nullable()
    .default(null),
});
export type FieldInfo = z.infer<typeof fieldSchema>;

export const mapFileSchema = z.object({ id, tile: z.number().int(), name: z.string(), bytes: z.number().int(), hash });
export const proofSchema = z.object({
  id,
  encoding: encodingSchema,
  outcome: outcomeSchema,
  worst: z.array(worstPlaceSchema),
  study: studySchema.nullable(),
  /** The mesh that was compared and its errors a point (signed lengths, or degrees), for the Stage. */
  meshHash: hash,
  errorsHash: hash,
  maps: z.array(mapFileSchema),
  seconds: z.number(),
  createdAt: z.string(),
});
export type ProofInfo = z.infer<typeof proofSchema>;

export const spanSchema = z.object({
  id,
  settings: extractSettingsSchema,
  fields: z.array(fieldSchema),
  /** The light mesh or the sculpt has changed since it was measured. */
  outOfDate: z.boolean(),
  encoding: encodingSchema.nullable(),
  /** Counts every saving; 0 when there is none yet. */
  encodingVersion: z.number().int(),
  proofs: z.array(proofSchema),
});
export type SpanInfo = z.infer<typeof spanSchema>;
