import * as z from 'zod';
import {
  assetSchema,
  assetSummarySchema,
  bringInSchema,
  changeRowSchema,
  deliverRequestSchema,
  jobSchema,
  prioritySchema,
  proveRequestSchema,
  saveEncodingSchema,
  uploadedSchema,
} from './api';
import { encodingSchema } from './spans';
import { levelEditSchema, levelFileSchema } from './level-edits';
import { islandEditSchema, lowAgainSchema, lowStateSchema, mendSchema, setGroupsSchema, transferSchema, unwrapSchema } from './light-edits';
import { manifestSchema } from './manifest';
import { measureRecipeSchema, savedRecipeSchema } from './measure-recipe';
import { measureSchema } from './pass';
import type { Route } from './route';
import { storageSchema } from './storage';

const ofPart = z.object({ part: z.uuid('that address is not complete').optional() });
/** The `stamp` of the part that a change was made from; without it, what the part is when the request arrives. */
const ofState = z.object({ seen: z.string().max(100).optional() });
const ofPartState = ofPart.extend(ofState.shape);
/** A larger layout image takes the server longer than others should wait. */
export const MOST_SERVED_LAYOUT = 4096;
const layoutSchema = z.object({
  tile: z.coerce.number().int().min(1001).max(1999),
  size: z.coerce.number().int().min(256).max(MOST_SERVED_LAYOUT).default(2048),
});
const BYTES = 'application/octet-stream';
/** A request that puts something on the press, and the task that came of it. */
const starts = { method: 'post', answer: jobSchema, status: 202 } as const;
/** A change of a task. */
const changes = { method: 'post', answer: jobSchema, status: 200 } as const;

/** Everything that can be asked of the server, once: its handlers, the page's client and the OpenAPI description are made from this. */
export const ROUTES = {
  health: { method: 'get', path: '/health', says: 'Whether the server is there.', answer: z.object({ ok: z.literal(true) }), status: 200 },
  description: { method: 'get', path: '/openapi.json', says: 'This description.', answer: z.record(z.string(), z.unknown()), status: 200 },

  assets: { method: 'get', path: '/assets', says: 'All assets, newest first.', answer: z.array(assetSummarySchema), status: 200 },
  asset: { method: 'get', path: '/assets/:id', says: 'An asset, seen through one of its parts.', query: ofPart, answer: assetSchema, status: 200 },
  changeAsset: { method: 'patch', path: '/assets/:id', says: 'Renames an asset, removes it, or brings a removed one back.', body: changeRowSchema, status: 204 },
  changePart: { method: 'patch', path: '/parts/:id', says: 'Renames a part of an asset, removes it, or brings a removed one back.', body: changeRowSchema, status: 204 },
  bringIn: { ...starts, path: '/assets', says: 'Makes an asset, or a part of one, from uploaded files.', body: bringInSchema },
  bringLowAgain: { ...starts, path: '/assets/:id/low', says: 'Reads the light mesh of a part again from an uploaded file.', query: ofPartState, body: lowAgainSchema },
  unwrap: { ...starts, path: '/assets/:id/uvs', says: 'Gives the light mesh of a part new UVs; its levels follow.', query: ofPartState, body: unwrapSchema },
  editIslands: { ...starts, path: '/parts/:id/islands', says: 'Moves, turns or mirrors islands of a light mesh; its levels follow.', query: ofState, body: islandEditSchema },
  mend: { ...starts, path: '/assets/:id/mends', says: 'Mends the light mesh of a part; the state before stays to go back to.', query: ofPartState, body: mendSchema },
  setGroups: { method: 'put', path: '/parts/:id/groups', says: 'Gives the faces of a light mesh other groups; maps stay as they are.', query: ofState, body: setGroupsSchema, status: 204 },
  split: { ...starts, path: '/parts/:id/split', says: 'Makes a part of each group of a light mesh, with what stands over it; the part itself stays.', query: ofState },
  transfer: { ...starts, path: '/parts/:id/transfer', says: 'Makes a part that is a stack: the light mesh with the detail of its free sculpt, or a later light mesh with that of the finest level, level by level. The part itself stays.', query: ofState, body: transferSchema },
  editLevels: { ...starts, path: '/parts/:id/levels', says: 'Adds, drops, recovers or changes levels of a part; the state before stays to go back to.', query: ofState, body: levelEditSchema },
  goToState: { method: 'put', path: '/parts/:id/state', says: 'Goes back or forth to a state of the light mesh of a part.', query: ofState, body: lowStateSchema, status: 204 },
  extract: { ...starts, path: '/assets/:id/spans', says: 'Measures maps of a part in one pass over the surface.', query: ofPart, body: measureSchema },
  deliver: { ...starts, path: '/assets/:id/deliveries', says: 'Puts proven maps of a part together with its light mesh for lighting.', query: ofPart, body: deliverRequestSchema },
  keepRecipe: { method: 'put', path: '/parts/:id/recipe', says: 'Keeps how a part is measured, for its next pass.', body: measureSchema, status: 204 },
  saveEncoding: { method: 'put', path: '/spans/:id/encoding', says: 'Keeps how a map is stored; refused where somebody saved another one meanwhile.', body: saveEncodingSchema, answer: z.object({ version: z.number().int() }), status: 200 },
  prove: { ...starts, path: '/spans/:id/proofs', says: 'Writes the files of a map and proves them against the sculpt.', body: proveRequestSchema.extend({ encoding: encodingSchema }) },
  study: { ...starts, path: '/proofs/:id/study', says: 'Tells the error of a proof apart by cause and by render subdivisions.' },

  manifest: { method: 'get', path: '/deliveries/:id/manifest', says: 'What a delivery holds, for programs.', answer: manifestSchema, status: 200 },
  setUpSheet: { method: 'get', path: '/deliveries/:id/sheet', says: 'What to set in a renderer, as a page to print.', gives: 'text/html; charset=utf-8', status: 200 },
  zip: { method: 'get', path: '/deliveries/:id/zip', says: 'A delivery as a zip.', gives: 'application/zip', status: 200 },

  recipes: { method: 'get', path: '/recipes', says: 'Recipes kept under a name.', answer: z.array(savedRecipeSchema), status: 200 },
  saveRecipe: { method: 'post', path: '/recipes', says: 'Keeps a recipe under a name that is free.', body: measureRecipeSchema, answer: savedRecipeSchema, status: 201 },
  useRecipe: { method: 'put', path: '/assets/:id/usual-recipe', says: 'Chooses the recipe that assets of the same production start from; null for none.', body: z.strictObject({ recipeId: z.uuid().nullable() }), status: 204 },
  removeRecipe: { method: 'delete', path: '/recipes/:id', says: 'Forgets a recipe.', status: 204 },

  storage: { method: 'get', path: '/storage', says: 'How much is stored, and how much of it nobody needs any more.', answer: storageSchema, status: 200 },
  freeStorage: { method: 'post', path: '/storage/free', says: 'Frees for good what nobody needs any more, and says what it was; delivered maps stay.', answer: storageSchema, status: 200 },

  upload: { method: 'put', path: '/uploads', says: 'Stores the bytes of a file, up to 2 GiB; its hash is what other requests name it by.', query: z.object({ name: z.string().max(400) }), takes: BYTES, answer: uploadedSchema, status: 201 },

  jobs: { method: 'get', path: '/jobs', says: 'What is and was on the press.', answer: z.array(jobSchema), status: 200 },
  cancel: { ...changes, path: '/jobs/:id/cancel', says: 'Stops a task for good.' },
  pause: { ...changes, path: '/jobs/:id/pause', says: 'Takes a task off the press; what is measured of it stays.' },
  resume: { ...changes, path: '/jobs/:id/resume', says: 'Puts a paused task back.' },
  retry: { ...changes, path: '/jobs/:id/retry', says: 'Asks for a failed or cancelled task again.' },
  first: { ...changes, path: '/jobs/:id/first', says: 'Moves a task before all that wait.' },
  priority: { ...changes, method: 'put', path: '/jobs/:id/priority', says: 'Gives a task another priority.', body: prioritySchema },
  events: { method: 'get', path: '/events', says: 'Server-sent events: tasks and assets that changed, and pictures of maps while they are measured.', gives: 'text/event-stream', status: 200 },

  layoutImage: { method: 'get', path: '/parts/:id/layout', says: 'The islands of a light mesh in one tile, filled by group, outlined and named, for painters.', query: layoutSchema, gives: 'image/png', status: 200 },
  levelFile: { method: 'get', path: '/parts/:id/level-file', says: 'A level of a part as a mesh file of any format that is written.', query: levelFileSchema, gives: BYTES, status: 200 },
  meshData: { method: 'get', path: '/meshes/:id/data', says: 'A mesh of a level, packed.', gives: BYTES, status: 200 },
  fieldData: { method: 'get', path: '/fields/:id/data', says: 'A measured field of one tile.', gives: 'image/x-exr', status: 200 },
  blob: { method: 'get', path: '/blobs/:hash', says: 'Stored bytes by their hash.', gives: BYTES, status: 200 },
  picture: { method: 'get', path: '/pictures/:hash', says: 'A stored picture by its hash.', gives: 'image/png', status: 200 },
  mapFile: { method: 'get', path: '/maps/:id/file', says: 'A written map.', gives: BYTES, status: 200 },
} as const satisfies Readonly<Record<string, Route>>; // prettier-ignore
