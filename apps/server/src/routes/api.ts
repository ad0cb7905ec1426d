import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { MAX_UPLOAD_BYTES, openApi, PRIORITIES, ROUTES } from '@estampe/contracts';
import { createSession } from 'better-sse';
import type { Request, Response } from 'express';
import { Router } from 'express';
import { AppError } from '../http/app-error';
import { plainFileName } from '../http/plain-file-name';
import { serveRoutes } from '../http/serve-routes';
import { uploadOf } from '../http/upload-of';
import type { Assets } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Deliveries } from '../repositories/deliveries';
import type { Jobs } from '../repositories/jobs';
import type { Recipes } from '../repositories/recipes';
import type { Spans } from '../repositories/spans';
import type { StoredData } from '../repositories/stored-data';
import type { Events } from '../services/events';
import type { Press } from '../services/press';
import type { Steps } from '../services/steps/steps';

export interface ApiPorts {
  readonly assets: Assets;
  readonly spans: Spans;
  readonly jobs: Jobs;
  readonly blobs: Blobs;
  readonly deliveries: Deliveries;
  readonly recipes: Recipes;
  readonly storedData: StoredData;
  readonly events: Events;
  readonly press: Press;
  readonly steps: Steps;
}

/** An upload may stand still for so long. */
const IDLE_MS = 60_000;

/** What each route does: parse nothing, decide nothing, call who knows. */
export function apiRoutes({ assets, spans, jobs, blobs, deliveries, recipes, storedData, events, press, steps }: ApiPorts): Router {
  const api = Router();
  const description = { ...openApi() };
  serveRoutes(api, ROUTES, {
    health: () => ({ ok: true as const }),
    description: () => description,

    assets: () => assets.list(),
    asset: ({ params, query }) => assets.detail(params.id, query.part ?? null),
    changeAsset: ({ params, body }) => steps.shelf.changeAsset(params.id, body),
    changePart: ({ params, body }) => steps.shelf.changePart(params.id, body),
    bringIn: ({ body }) => steps.sculpt.bringIn(body),
    bringLowAgain: ({ params, query, body }) => steps.sculpt.bringLowAgain(params.id, query.part ?? null, query.seen ?? null, body),
    unwrap: ({ params, query, body }) => steps.sheet.unwrap(params.id, query.part ?? null, query.seen ?? null, body),
    mend: ({ params, query, body }) => steps.sculpt.mend(params.id, query.part ?? null, query.seen ?? null, body),
    split: ({ params, query }) => steps.sculpt.split(params.id, query.seen ?? null),
    transfer: ({ params, query, body }) => steps.levels.transfer(params.id, query.seen ?? null, body),
    editLevels: ({ params, query, body }) => steps.levels.editLevels(params.id, query.seen ?? null, body),
    editIslands: ({ params, query, body }) => steps.sheet.editIslands(params.id, query.seen ?? null, body),
    setGroups: ({ params, query, body }) => steps.sculpt.setGroups(params.id, query.seen ?? null, body),
    goToState: ({ params, query, body }) => steps.sheet.goToState(params.id, query.seen ?? null, body.place),
    extract: ({ params, query, body }) => steps.maps.extract(params.id, query.part ?? null, body),
    deliver: ({ params, query, body }) => steps.deliver.deliver(params.id, query.part ?? null, body),
    keepRecipe: ({ params, body }) => steps.maps.keepRecipe(params.id, body),
    saveEncoding: async ({ params, body }) => ({ version: await steps.calibrate.saveEncoding(params.id, body.encoding, body.basedOn) }),
    prove: ({ params, body: { encoding, ...rest } }) => steps.proof.prove(params.id, encoding, rest),
    study: ({ params }) => steps.proof.study(params.id),

    manifest: async ({ params }) => (await deliveries.written(params.id)).manifest,
    setUpSheet: async ({ params, request, response }) =>
      sendBlob(request, response, (await deliveries.written(params.id)).sheetHash, ROUTES.setUpSheet.gives),
    zip: async ({ params, request, response }) => {
      const { name, zipHash } = await deliveries.written(params.id);
      response.attachment(`${name}.zip`);
      await sendBlob(request, response, zipHash, ROUTES.zip.gives);
    },

    recipes: () => recipes.list(),
    saveRecipe: ({ body }) => recipes.save(body),
    useRecipe: async ({ params, body }) => {
      await recipes.use(params.id, body.recipeId);
      events.send({ type: 'asset', assetId: params.id });
    },
    removeRecipe: ({ params }) => recipes.remove(params.id),

    storage: () => storedData.figures(),
    freeStorage: () => steps.shelf.freeStorage(),

    upload: async ({ query, request, response }) => {
      const name = plainFileName(query.name);
      if (Number(request.headers['content-length'] ?? 0) > MAX_UPLOAD_BYTES)
        throw new AppError('TOO_LARGE', `${name} is larger than 2 GiB; bring in a lighter level or fewer pieces.`);
      try {
        return { name, ...(await blobs.putStream(uploadOf(request, response, IDLE_MS), MAX_UPLOAD_BYTES)) };
      } catch (error) {
        throw error instanceof AppError ? new AppError(error.code, `${name}: ${error.message}`) : error;
      }
    },

    jobs: () => jobs.list(),
    cancel: ({ params }) => press.cancel(params.id),
    pause: ({ params }) => press.pause(params.id),
    resume: ({ params }) => press.resume(params.id),
    retry: ({ params }) => press.retry(params.id),
    first: ({ params }) => press.first(params.id),
    priority: ({ params, body }) => press.setPriority(params.id, PRIORITIES[body.priority]),
    events: async ({ request, response }) => {
      if (events.full) throw new AppError('UNAVAILABLE', 'Too many pages are open on this server; close some, then load this one again.');
      events.listen(await createSession(request, response), response);
    },

    layoutImage: async ({ params, query, response }) => {
      const { name, png } = await steps.sheet.layoutImage(params.id, query.tile, query.size);
      response.attachment(name).type(ROUTES.layoutImage.gives).send(Buffer.from(png));
    },
    levelFile: async ({ params, query, response }) => {
      const { name, bytes } = await steps.levels.levelFile(params.id, query.level, query.format);
      response
        .attachment(name)
        .type(ROUTES.levelFile.gives)
        .send(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length));
    },
    meshData: async ({ params, request, response }) =>
      sendBlob(request, response, (await assets.mesh(params.id)).hash, ROUTES.meshData.gives),
    fieldData: async ({ params, request, response }) =>
      sendBlob(request, response, (await spans.field(params.id)).hash, ROUTES.fieldData.gives),
    blob: ({ params, request, response }) => sendBlob(request, response, params.hash, ROUTES.blob.gives),
    picture: ({ params, request, response }) => sendBlob(request, response, params.hash, ROUTES.picture.gives),
    mapFile: async ({ params, request, response }) => {
      const map = await spans.mapFile(params.id);
      response.attachment(map.name);
      await sendBlob(request, response, map.hash, ROUTES.mapFile.gives);
    },
  });
  api.use((_request, _response, next) => next(new AppError('NOT_FOUND', 'There is nothing at that address.')));

  /** Content under its hash never changes, so the browser may keep it for good. */
  async function sendBlob(request: Request, response: Response, hash: string, type: string): Promise<void> {
    const blob = await blobs.find(hash);
    if (blob === null) throw new AppError('NOT_FOUND', 'That data is not here; load the page again.');
    // a part of it, as a view of a large field asks for
    const ranges = request.range(blob.bytes);
    if (ranges === -1) throw new AppError('BAD_OPTION', 'That part of the data is not there; load the page again.');
    const { start, end } = Array.isArray(ranges) && ranges.length === 1 ? ranges[0] : { start: 0, end: blob.bytes - 1 };
    if (end - start + 1 < blob.bytes) {
      response.status(206);
      response.setHeader('Content-Range', `bytes ${start}-${end}/${blob.bytes}`);
    }
    response.setHeader('Accept-Ranges', 'bytes');
    response.setHeader('Content-Type', type);
    response.setHeader('Content-Length', end - start + 1);
    response.setHeader('ETag', `"${hash}"`);
    response.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    await pipeline(Readable.from(blobs.read(hash, start, end + 1)), response);
  }
  return api;
}
