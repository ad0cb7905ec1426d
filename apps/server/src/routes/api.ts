import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import {
  bringInSchema,
  deliverRequestSchema,
  encodingSchema,
  lowAgainSchema,
  MAX_UPLOAD_BYTES,
  measureRecipeSchema,
  measureSchema,
  PRIORITIES,
  prioritySchema,
  proveRequestSchema,
  saveEncodingSchema,
} from '@estampe/contracts';
import { createSession } from 'better-sse';
import type { Response } from 'express';
import express, { Router } from 'express';
import * as z from 'zod';
import { AppError } from '../http/app-error';
import { readRequest } from '../http/read-request';
import type { Assets } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Deliveries } from '../repositories/deliveries';
import type { Jobs } from '../repositories/jobs';
import type { Recipes } from '../repositories/recipes';
import type { Spans } from '../repositories/spans';
import type { Events } from '../services/events';
import type { Press } from '../services/press';
import type { Studio } from '../services/studio';

export interface ApiPorts {
  readonly assets: Assets;
  readonly spans: Spans;
  readonly jobs: Jobs;
  readonly blobs: Blobs;
  readonly deliveries: Deliveries;
  readonly recipes: Recipes;
  readonly events: Events;
  readonly press: Press;
  readonly studio: Studio;
}

const idParam = z.object({ id: z.uuid('that address is not complete') });
const partQuery = z.object({ part: z.uuid('that address is not complete').optional() });
const hashParam = z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/) });
const uploadQuery = z.object({ name: z.string().max(400) });

/** An upload may stand still for so long. */
const IDLE_MS = 60_000;

/** A file name without folders, characters that no system keeps, or leading dots. */
const plainName = (name: string): string =>
  (name.split(/[\\/]/).pop() ?? '')
    .replace(/[\p{Cc}\p{Cs}<>:"|?*]/gu, '_')
    .replace(/^\.+/, '')
    .slice(0, 120) || 'unnamed.obj';

export function apiRoutes({ assets, spans, jobs, blobs, deliveries, recipes, events, press, studio }: ApiPorts): Router {
  const api = Router();
  const json = express.json({ limit: '200kb' });
  const id = (params: unknown): string => readRequest(idParam, params).id;
  /** Which of an asset's parts is meant; null for the first. */
  const part = (query: unknown): string | null => readRequest(partQuery, query).part ?? null;

  api.get('/health', (_request, response) => void response.json({ ok: true }));
  api.get('/assets', async (_request, response) => void response.json(await assets.list()));
  api.get('/assets/:id', async (request, response) => {
    response.json(await assets.detail(id(request.params), part(request.query)));
  });
  api.post(
    '/assets',
    json,
    async (request, response) => void response.status(202).json(await studio.bringIn(readRequest(bringInSchema, request.body))),
  );
  api.post('/assets/:id/spans', json, async (request, response) => {
    response.status(202).json(await studio.extract(id(request.params), part(request.query), readRequest(measureSchema, request.body)));
  });
  api.put('/parts/:id/recipe', json, async (request, response) => {
    await studio.keepRecipe(id(request.params), readRequest(measureSchema, request.body));
    response.status(204).end();
  });
  api.put('/spans/:id/encoding', json, async (request, response) => {
    const { encoding, basedOn } = readRequest(saveEncodingSchema, request.body);
    response.json({ version: await studio.saveEncoding(id(request.params), encoding, basedOn) });
  });
  api.post('/spans/:id/proofs', json, async (request, response) => {
    const { encoding, ...rest } = readRequest(proveRequestSchema.extend({ encoding: encodingSchema }), request.body);
    response.status(202).json(await studio.prove(id(request.params), encoding, rest));
  });

  api.post('/assets/:id/low', json, async (request, response) => {
    response
      .status(202)
      .json(await studio.bringLowAgain(id(request.params), part(request.query), readRequest(lowAgainSchema, request.body)));
  });
  api.post('/proofs/:id/study', async (request, response) => void response.status(202).json(await studio.study(id(request.params))));
  api.post('/assets/:id/deliveries', json, async (request, response) => {
    response
      .status(202)
      .json(await studio.deliver(id(request.params), part(request.query), readRequest(deliverRequestSchema, request.body)));
  });
  api.get('/deliveries/:id/manifest', async (request, response) => {
    response.json((await deliveries.written(id(request.params))).manifest);
  });
  api.get('/deliveries/:id/sheet', async (request, response) => {
    await sendBlob(response, (await deliveries.written(id(request.params))).sheetHash, 'text/html; charset=utf-8');
  });
  api.get('/deliveries/:id/zip', async (request, response) => {
    const { name, zipHash } = await deliveries.written(id(request.params));
    response.attachment(`${name}.zip`);
    await sendBlob(response, zipHash, 'application/zip');
  });

  api.get('/recipes', async (_request, response) => void response.json(await recipes.list()));
  api.post('/recipes', json, async (request, response) => {
    response.status(201).json(await recipes.save(readRequest(measureRecipeSchema, request.body)));
  });
  api.delete('/recipes/:id', async (request, response) => {
    await recipes.remove(id(request.params));
    response.status(204).end();
  });

  api.put('/uploads', async (request, response) => {
    const name = plainName(readRequest(uploadQuery, request.query).name);
    if (Number(request.headers['content-length'] ?? 0) > MAX_UPLOAD_BYTES)
      throw new AppError('TOO_LARGE', `${name} is larger than 2 GiB; bring in a lighter level or fewer pieces.`);
    // as long as something arrives it may take its time
    request.setTimeout(IDLE_MS, () => request.destroy(new AppError('TRUNCATED', 'nothing has arrived for a minute; send it again.')));
    try {
      response.status(201).json({ name, ...(await blobs.putStream(request, MAX_UPLOAD_BYTES)) });
    } catch (error) {
      throw error instanceof AppError ? new AppError(error.code, `${name}: ${error.message}`) : error;
    }
  });

  api.get('/jobs', async (_request, response) => void response.json(await jobs.list()));
  api.post('/jobs/:id/cancel', async (request, response) => void response.json(await press.cancel(id(request.params))));
  api.post('/jobs/:id/pause', async (request, response) => void response.json(await press.pause(id(request.params))));
  api.post('/jobs/:id/resume', async (request, response) => void response.json(await press.resume(id(request.params))));
  api.post('/jobs/:id/retry', async (request, response) => void response.json(await press.retry(id(request.params))));
  api.post('/jobs/:id/first', async (request, response) => void response.json(await press.first(id(request.params))));
  api.put('/jobs/:id/priority', json, async (request, response) => {
    const { priority } = readRequest(prioritySchema, request.body);
    response.json(await press.setPriority(id(request.params), PRIORITIES[priority]));
  });
  api.get('/events', async (request, response) => {
    if (events.full) throw new AppError('UNAVAILABLE', 'Too many pages are open on this server; close some, then load this one again.');
    events.listen(await createSession(request, response), response);
  });

  api.get('/meshes/:id/data', async (request, response) =>
    sendBlob(response, (await assets.mesh(id(request.params))).hash, 'application/octet-stream'),
  );
  api.get('/fields/:id/data', async (request, response) => sendBlob(response, (await spans.field(id(request.params))).hash, 'image/x-exr'));
  api.get('/blobs/:hash', async (request, response) =>
    sendBlob(response, readRequest(hashParam, request.params).hash, 'application/octet-stream'),
  );
  api.get('/pictures/:hash', async (request, response) => sendBlob(response, readRequest(hashParam, request.params).hash, 'image/png'));
  api.get('/maps/:id/file', async (request, response) => {
    const map = await spans.mapFile(id(request.params));
    response.attachment(map.name);
    await sendBlob(response, map.hash, 'application/octet-stream');
  });
  api.use((_request, _response, next) => next(new AppError('NOT_FOUND', 'There is nothing at that address.')));

  /** Content under its hash never changes, so the browser may keep it for good. */
  async function sendBlob(response: Response, hash: string, type: string): Promise<void> {
    const blob = await blobs.find(hash);
    if (blob === null) throw new AppError('NOT_FOUND', 'That data is not here; load the page again.');
    response.setHeader('Content-Type', type);
    response.setHeader('Content-Length', blob.bytes);
    response.setHeader('ETag', `"${hash}"`);
    response.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    await pipeline(Readable.from(blobs.read(hash)), response);
  }
  return api;
}
