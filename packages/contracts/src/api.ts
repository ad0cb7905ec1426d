import * as z from 'zod';
import { givenLength, measureSchema } from './pass';
import { savedRecipeSchema } from './measure-recipe';
import { plainText, plainTitle } from './plain-text';
import { encodingSchema, spanSchema } from './spans';
import { hash, id, length, UNITS } from './values';

/** Everything that crosses between server and browser. Lengths are in the asset's unit, shares 0..1. */

/** Largest upload of one file. */
export const MAX_UPLOAD_BYTES = 2 * 1024 ** 3;
/** Files of one bring-in. */
export const MAX_UPLOAD_FILES = 64;
/** Edges that can be picked as seams. */
export const MAX_PICKED_EDGES = 100_000;
/** Groups of one mesh. */
export const MAX_GROUPS = 500;
/** Which axis of a mesh points upwards. */
export const UP_AXES = ['y', 'z'] as const;
export type UpAxis = (typeof UP_AXES)[number];

export const findingSchema = z.object({
  code: z.string(),
  severity: z.enum(['error', 'warning', 'note']),
  count: z.number().int(),
  message: z.string(),
  faces: z.array(z.number().int()),
  /** Level that the faces are of; left out for the light mesh. */
  level: z.number().int().optional(),
});
export type FindingInfo = z.infer<typeof findingSchema>;

/** Groups of faces: how many faces in a row belong to which of the names, one pair after another. */
export const groupsSchema = z.strictObject({
  names: z
    .array(z.literal('').or(plainText(80)))
    .max(MAX_GROUPS)
    .refine((names) => new Set(names).size === names.length, 'each group needs a name of its own'),
  runs: z.array(z.number().int().min(0)).refine((runs) => runs.length % 2 === 0, 'counts and groups in turn'),
});
export type GroupsInfo = z.infer<typeof groupsSchema>;

/** What the UVs of a light mesh are like. */
export const uvFiguresSchema = z.object({
  islands: z.number().int(),
  /** Share of the faces that share a place with others. */
  overlap: z.number(),
  /** Share of the tiles in use that islands cover. */
  use: z.number(),
  /** 1 is best. */
  stretch: z.object({ rms: z.number().nullable(), p95: z.number().nullable() }),
  seamLength: length,
  /** Texels of a map of 2048; null where there is one island. */
  smallestGap: z.number().nullable(),
});
export type UvFiguresInfo = z.infer<typeof uvFiguresSchema>;

/** How a level was put onto a free sculpt. */
export const transferFiguresSchema = z.object({
  /** Share of the points that lie on the sculpt by an answer of their own, 0..1. */
  projectedShare: z.number().min(0).max(1),
  /** Hits of another part of the sculpt that were refused. */
  refused: z.number().int().min(0),
  /** Distance from the sculpt, both ways. */
  rms: length,
  max: length,
  /** Faces that lie against the sculpt under them. */
  folds: z.number().int().min(0),
  reach: length,
  seconds: z.number().min(0),
});
export type TransferFiguresInfo = z.infer<typeof transferFiguresSchema>;

export const levelSchema = z.object({
  level: z.number().int(),
  meshId: id,
  points: z.number().int(),
  faces: z.number().int(),
  /** RMS of what the level adds over the refined level below; null at the bottom and for a free sculpt. */
  detail: length.nullable(),
  /** Whether its points have colours; null where nobody looked yet. */
  colours: z.boolean().nullable(),
  /** Where the level was made from a free sculpt. */
  transfer: transferFiguresSchema.optional(),
});

export const deliverySchema = z.object({
  id,
  version: z.number().int(),
  /** Name of folder and zip. */
  name: z.string(),
  bytes: z.number().int(),
  createdAt: z.string(),
});
export type DeliveryInfo = z.infer<typeof deliverySchema>;

export const STACK_KINDS = ['stack', 'free', 'alone'] as const;
export type StackKind = (typeof STACK_KINDS)[number];

/** A light mesh with its sculpt; an asset has one or several. */
export const partSchema = z.object({
  id,
  name: z.string(),
  /** `stack`: levels of one stack; `free`: level 0 and a sculpt with its own topology (listed as level 1); `alone`: one mesh, which waits for
   *  its light mesh or its sculpt. */
  stackKind: z.enum(STACK_KINDS),
  levelList: z.array(levelSchema),
  /** Of a stack that was made from a free sculpt: that, to take further levels from. */
  sculptHash: hash.nullable().default(null),
  diagonal: length,
  tiles: z.array(z.number().int()),
  pictureHash: hash,
  /** Of the light mesh; null where it has no UVs, or nobody looked yet. */
  uv: uvFiguresSchema.nullable(),
  /** Of the light mesh, where they were made here; null for those that it came with. */
  groups: groupsSchema.nullable(),
  /** States of the light mesh that can be gone back and forth between, oldest first; none until it was changed. */
  states: z.array(z.object({ place: z.number().int(), title: z.string() })),
  /** Which of them holds. */
  statePlace: z.number().int(),
  /** Names the levels and groups that it has now: a change carries the one it was made from, and is refused where the part has another. */
  stamp: z.string(),
  /** How it is measured; null until it was measured or given a recipe. */
  recipe: measureSchema.nullable(),
});
export type PartInfo = z.infer<typeof partSchema>;

export const assetSummarySchema = z.object({
  id,
  name: z.string(),
  production: z.string(),
  unit: z.enum(UNITS),
  up: z.enum(UP_AXES),
  stackKind: z.enum(STACK_KINDS),
  /** Names of its parts, in the order in which they came. */
  parts: z.array(z.string()).min(1),
  /** Of the first part. */
  lowFaces: z.number().int(),
  topFaces: z.number().int(),
  levels: z.number().int(),
  pictureHash: hash,
  createdAt: z.string(),
});
export type AssetSummary = z.infer<typeof assetSummarySchema>;

/** An asset seen through one of its parts: levels, findings and spans are that part's. */
export const assetSchema = assetSummarySchema.omit({ parts: true }).extend({
  ...partSchema.omit({ id: true, name: true, recipe: true }).shape,
  part: z.object({ id, name: z.string() }),
  parts: z.array(partSchema).min(1),
  findings: z.array(findingSchema),
  spans: z.array(spanSchema),
  deliveries: z.array(deliverySchema),
  /** The recipe that assets of its production start from. */
  usual: savedRecipeSchema.nullable().default(null),
});
export type AssetDetail = z.infer<typeof assetSchema>;
/** What an asset's open part is called where its asset is not named. */
export const titleOf = ({ name, part, parts }: Pick<AssetDetail, 'name' | 'part' | 'parts'>): string =>
  parts.length === 1 || part.name === name ? name : `${name}, ${part.name}`;

export const JOB_KINDS = [
  'import',
  'low',
  'unwrap',
  'islands',
  'mend',
  'split',
  'transfer',
  'levels',
  'extract',
  'proof',
  'study',
  'delivery',
] as const;
export const jobSchema = z.object({
  id,
  kind: z.enum(JOB_KINDS),
  title: z.string(),
  /** `paused`: what is under way ends, nothing more is started. */
  state: z.enum(['waiting', 'running', 'paused', 'done', 'failed', 'cancelled']),
  /** Larger goes first. */
  priority: z.number().int(),
  /** A pass is one task a tile; every other job is one task. */
  tasks: z.number().int(),
  tasksDone: z.number().int(),
  fraction: z.number(),
  stage: z.string(),
  /** What went wrong, and what to do. */
  error: z.string().nullable(),
  assetId: id.nullable(),
  /** Where it concerns one part of the asset alone. */
  partId: id.nullable().default(null),
  spanId: id.nullable(),
  createdAt: z.string(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
});
export type JobInfo = z.infer<typeof jobSchema>;
export const PRIORITIES = { later: -1, normal: 0, urgent: 1 } as const;
export const prioritySchema = z.strictObject({ priority: z.enum(['later', 'normal', 'urgent']) });

export const uploadedSchema = z.object({ hash, name: z.string(), bytes: z.number().int() });
export type Uploaded = z.infer<typeof uploadedSchema>;

export const uploadedFile = z.strictObject({ hash, name: plainText(200) });
/** Files of one part: levels of a stack, a light mesh with its sculpt, or one mesh whose other comes later. */
export const broughtPart = z.strictObject({ name: plainTitle(80), files: z.array(uploadedFile).min(1).max(MAX_UPLOAD_FILES) });

export const bringInBody = z.strictObject({
  /** Of the asset; of the part, where an asset gets one more. */
  name: plainTitle(80),
  unit: z.enum(UNITS),
  parts: z
    .array(broughtPart)
    .min(1, 'at least one mesh is needed')
    .max(MAX_UPLOAD_FILES)
    .refine((parts) => new Set(parts.map((part) => part.name)).size === parts.length, 'each part needs a name of its own'),
  /** An asset that gets these parts; null makes a new asset. Its unit must be the asset's. */
  assetId: id.nullable().default(null),
  /** A part of one mesh that these files complete: they are its other levels, or its other mesh. */
  partId: id.nullable().default(null),
  /** Which set of UVs, where a file has several; null takes the usual one. */
  uvSet: plainText(120).nullable().default(null),
  /** Which way is up in a new asset. Numbers stay as they are: views are turned. */
  up: z.enum(UP_AXES).default('y'),
});
export const bringInSchema = z.preprocess(
  // one part alone may be said by its files, as before there were several
  (given) => (isRecord(given) && 'files' in given && !('parts' in given) ? withParts(given) : given),
  bringInBody,
);
const isRecord = (x: unknown): x is Record<string, unknown> => typeof x === 'object' && x !== null;
const withParts = ({ files, ...rest }: Record<string, unknown>): Record<string, unknown> => ({
  ...rest,
  parts: [{ name: rest['name'], files }],
});
export type BringIn = z.infer<typeof bringInSchema>;

/** What can be changed of an asset or a part: its name, and whether it is there. What is removed can be brought back. */
export const changeRowSchema = z
  .strictObject({
    name: plainTitle(80).optional(),
    /** What it was called where the name was changed; refused where it has another one meanwhile. */
    was: z.string().max(400).optional(),
    removed: z.boolean().optional(),
  })
  .refine(({ name, removed }) => name !== undefined || removed !== undefined, 'say what to change: the name, or removed');
export type ChangeRow = z.infer<typeof changeRowSchema>;

export const saveEncodingSchema = z.strictObject({
  encoding: encodingSchema,
  /** The version that the change was made on: if there is a newer one, nothing is written. */
  basedOn: z.number().int().min(0),
});

export const deliverRequestSchema = z.strictObject({
  proofIds: z.array(id).min(1, 'choose at least one proven map').max(32),
  withSculpt: z.boolean(),
});
export type DeliverRequest = z.infer<typeof deliverRequestSchema>;

export const proveRequestSchema = z.strictObject({
  subdivisions: z.number().int().min(0).max(8),
  /** Asset units, or degrees for a normal map; null gives no verdict. */
  tolerance: givenLength.nullable(),
});
export type ProveRequest = z.infer<typeof proveRequestSchema>;

export const errorBodySchema = z.object({ code: z.string(), message: z.string() });

/** Some rows of a small picture of a map that is being measured: int16, little endian, base64; -32768 where nothing is known, 32767 for
 *  `range`. For looking only. */
export const pieceSchema = z.object({
  jobId: id,
  spanId: id.nullable(),
  tile: z.number().int(),
  kind: z.string(),
  width: z.number().int().min(1).max(512),
  height: z.number().int().min(1).max(512),
  y0: z.number().int().min(0),
  rows: z.number().int().min(1),
  range: z.number().positive(),
  data: z.string().max(7000),
});
export type PieceInfo = z.infer<typeof pieceSchema>;

/** What the event stream sends. */
export const eventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('job'), job: jobSchema }),
  z.object({ type: z.literal('asset'), assetId: id }),
  z.object({ type: z.literal('piece'), piece: pieceSchema }),
]);
export type ServerEvent = z.infer<typeof eventSchema>;
