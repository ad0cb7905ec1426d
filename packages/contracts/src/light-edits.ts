import { LEAST_WEIGHT, MAX_MAP_SIDE, MEND_NAMES, MENDS, MOST_TRANSFER_LEVELS, MOST_WEIGHT, UNWRAP_DEFAULTS } from '@estampe/core';
import * as z from 'zod';
import { groupsSchema, MAX_PICKED_EDGES, uploadedFile } from './api';
import { plainTitle } from './plain-text';

/** What may be asked of a part's light mesh: brought in again, new UVs, islands placed, mends, groups, levels, states. */

/** The light mesh brought in again. */
export const lowAgainSchema = uploadedFile;
export type LowAgain = z.infer<typeof lowAgainSchema>;

/** How many times as many texels a length a group gets. */
export const groupWeightSchema = z.number().min(LEAST_WEIGHT).max(MOST_WEIGHT);
/** New UVs for the light mesh. */
export const unwrapSchema = z.strictObject({
  seams: z.enum(['groups', 'auto', 'picked']).default('auto'),
  /** Picked ones: the points at both ends of each edge. */
  edges: z
    .array(z.number().int().min(0))
    .max(MAX_PICKED_EDGES * 2)
    .default([]),
  /** Islands that stay where they are, each named by one of its faces. */
  keep: z.array(z.number().int().min(0)).max(MAX_PICKED_EDGES).default([]),
  /** Side of the map, in texels, and the texels between islands at that size. */
  size: z.number().int().min(256).max(MAX_MAP_SIDE).default(UNWRAP_DEFAULTS.size),
  margin: z.number().int().min(0).max(64).default(UNWRAP_DEFAULTS.margin),
  tiles: z.number().int().min(1).max(20).default(UNWRAP_DEFAULTS.tiles),
  /** How many times as many texels a length, by group; 1 for those that are not named. */
  weights: z.record(z.string().min(1).max(200), groupWeightSchema).default({}),
});
export type UnwrapRequest = z.infer<typeof unwrapSchema>;
const someFaces = z.array(z.number().int().min(0)).min(1).max(MAX_PICKED_EDGES);
const uvStep = z.number().min(-100).max(100);
/** Islands placed anew, each named by one of its faces. */
export const islandEditSchema = z.discriminatedUnion('op', [
  z.strictObject({ op: z.literal('move'), faces: someFaces, by: z.tuple([uvStep, uvStep]) }),
  z.strictObject({ op: z.literal('turn'), faces: someFaces, quarters: z.union([z.literal(1), z.literal(2), z.literal(3)]) }),
  z.strictObject({ op: z.literal('mirror'), faces: someFaces }),
]);
export type IslandEditRequest = z.infer<typeof islandEditSchema>;
/** A mend of the light mesh, by as much as it says; null takes the usual amount. */
export const mendSchema = z
  .strictObject({ mend: z.enum(MEND_NAMES), amount: z.number().positive('a number above 0').max(1e9).nullable().default(null) })
  .refine(({ mend, amount }) => amount === null || MENDS[mend].amount !== null, { path: ['amount'], message: 'this mend has no amount' })
  .refine(({ mend, amount }) => amount === null || MENDS[mend].amount !== 'share' || amount < 1, {
    path: ['amount'],
    message: 'a share between 0 and 1',
  });
export type MendRequest = z.infer<typeof mendSchema>;
/** Groups that a light mesh is to have, and a few words for what changed. */
export const setGroupsSchema = z.strictObject({ title: plainTitle(120), groups: groupsSchema });
export type SetGroups = z.infer<typeof setGroupsSchema>;
/** How far a transfer goes. */
export const transferSettingsSchema = z.strictObject({
  /** How many levels; null stops near the sculpt's number of faces. */
  levels: z.number().int().min(1).max(MOST_TRANSFER_LEVELS).nullable().default(null),
  /** How far to search along the normals, in the asset's unit; null measures it. */
  reach: z.number().positive('a number above 0').max(1e9).nullable().default(null),
});
export type TransferSettings = z.infer<typeof transferSettingsSchema>;
/** Gives a light mesh the detail of its free sculpt. */
export const transferSchema = transferSettingsSchema.extend({
  /** A later light mesh that takes the detail of this part's finest level instead; its points and polygons may be others. */
  onto: uploadedFile.nullable().default(null),
});
export type TransferRequest = z.infer<typeof transferSchema>;
export const lowStateSchema = z.strictObject({ place: z.number().int().min(0) });
