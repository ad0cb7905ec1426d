import { randomUUID } from 'node:crypto';
import type { AssetDetail, AssetSummary, JobInfo, MeasureRequest } from '@estampe/contracts';
import { eventSchema, MEASURE_DEFAULTS } from '@estampe/contracts';
import { writeObj } from '@estampe/core';
import { harbourBell, quayStone } from '@estampe/demo';
import { DatabaseError } from 'sequelize';
import { connect } from '../src/db/connect';
import { sentenceOfDatabase } from '../src/db/driver-errors';
import { migrate } from '../src/db/migrate';
import type { Claim } from '../src/repositories/jobs';
import { Jobs } from '../src/repositories/jobs';
import type { RunningServer } from '../src/server';
import { freshDatabase, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

describe('the book of the press', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let db: ReturnType<typeof connect>;
  let jobs: Jobs;
  beforeEach(async () => {
    database = await freshDatabase();
    db = connect(database.url);
    await migrate(db.sequelize);
    jobs = new Jobs(db);
  });
  afterEach(async () => {
    await db.sequelize.close();
    await database.drop();
  });
  const create = (title: string, tiles?: number[]) => jobs.create({ kind: 'extract', title, ...(tiles ? { tiles } : {}) }, { spanIds: [] });
  const next = async (): Promise<string | null> => {
    const claim = await jobs.claim();
    return claim && `${claim.job.title} ${claim.tile}`;
  };
  const end = (claim: Claim, state: 'done' | 'failed' = 'done') =>
    db.sequelize.transaction((t) => jobs.end(claim, state, state === 'failed' ? 'it broke.' : null, t));

  it('gives tiles out in order, by priority and place, and each only once, however many ask', async () => {
    const [first, second, third] = [await create('first', [1002, 1001]), await create('second'), await create('third')];
    await jobs.setPriority(third.id, 1);
    expect(await next()).toBe('third 0');
    expect(await next()).toBe('first 1001');
    await jobs.first(second.id);
    expect(await next()).toBe('second 0');
    expect(await next()).toBe('first 1002');
    expect(await next()).toBeNull();
    expect((await jobs.get(first.id)).state).toBe('running');
    const many = await create(
      'many',
      Array.from({ length: 20 }, (_, i) => 1001 + i),
    );
    const claims = await Promise.all(Array.from({ length: 24 }, () => jobs.claim()));
    const tiles = claims.filter((c) => c !== null).map((c) => c.tile);
    expect(new Set(tiles).size).toBe(tiles.length);
    expect(tiles.length).toBeGreaterThan(10); // some found their tile taken at that moment and will ask again
    expect((await jobs.get(many.id)).tasks).toBe(20);
  });

  it('holds a paused job back, lets what is under way end, and goes on', async () => {
    const job = await create('stone', [1001, 1002]);
    const claim = (await jobs.claim()) as Claim;
    expect((await jobs.pause(job.id)).state).toBe('paused');
    expect(await next()).toBeNull();
    expect(await jobs.renew(claim, 0.5, 'measuring')).toMatchObject({ fraction: 0.25, stage: 'measuring', state: 'paused' });
    expect(await end(claim)).toBe(true);
    expect(await jobs.get(job.id)).toMatchObject({ state: 'paused', tasksDone: 1, fraction: 0.5 });
    await jobs.resume(job.id);
    await end((await jobs.claim()) as Claim);
    expect(await jobs.get(job.id)).toMatchObject({ state: 'done', tasksDone: 2, fraction: 1 });
    await expect(jobs.pause(job.id)).rejects.toMatchObject({ code: 'NOT_READY' });
  });

  it('says which tile failed, and runs only that one again', async () => {
    const job = await create('stone', [1001, 1002]);
    await end((await jobs.claim()) as Claim);
    await end((await jobs.claim()) as Claim, 'failed');
    expect(await jobs.get(job.id)).toMatchObject({ state: 'failed', error: 'Tile 1002: it broke.', tasksDone: 1 });
    expect((await jobs.retry(job.id)).state).toBe('waiting');
    expect(await next()).toBe('stone 1002');
    await expect(jobs.retry(job.id)).rejects.toMatchObject({ code: 'NOT_READY' });
  });

  it('takes a tile from a worker that went silent, and refuses what that one brings later', async () => {
    await create('stone', [1001]);
    const lost = (await jobs.claim()) as Claim;
    expect(await jobs.claim()).toBeNull();
    await db.sequelize.query(`update task set leased_until = now() - interval '1 second'`);
    const found = (await jobs.claim()) as Claim;
    expect(found).toMatchObject({ tile: 1001, attempt: lost.attempt + 1 });
    expect(await jobs.renew(lost, 0.9, '')).toBeNull();
    expect(await end(lost)).toBe(false);
    expect(await end(found)).toBe(true);
  });

  it('ends a task over which its workers died three times, says why, and can be asked to try again', async () => {
    const job = await create('too large');
    const dies = async (): Promise<Claim | null> => {
      const claim = await jobs.claim();
      await db.sequelize.query(`update task set leased_until = now() - interval '1 second'`);
      return claim;
    };
    for (let k = 0; k < 3; k++) expect(await dies()).not.toBeNull();
    const heard: string[] = [];
    expect(await jobs.claim((row) => heard.push(row.title))).toBeNull();
    expect(heard).toEqual(['too large']);
    expect(await jobs.get(job.id)).toMatchObject({ state: 'failed', error: expect.stringMatching(/^Its worker ended 3 times/) as string });
    await jobs.retry(job.id);
    expect(await next()).toBe('too large 0');
  });
});

describe('what the database says when it cannot', () => {
  it('is one sentence with what to do, by its code, and nothing else is taken for it', () => {
    const full = new DatabaseError(Object.assign(new Error('could not extend file'), { code: '53100', sql: '' }));
    expect(sentenceOfDatabase(full)).toMatch(/^The database's disk is full; nothing was written half\. Make room/);
    expect(sentenceOfDatabase(new DatabaseError(Object.assign(new Error('?'), { code: 'XX000', sql: '' })))).toMatch(/does not answer/);
    expect(sentenceOfDatabase(new Error('something else'))).toBeNull();
  });
});

describe('a pass over tiles', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  let asset: AssetDetail;
  const small: MeasureRequest = { ...MEASURE_DEFAULTS, toLevel: 1, size: 64 };
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
    const stone = quayStone(1).map((mesh) => writeObj(mesh));
    asset = await client.asset((await client.bringIn('Stone', { 'low.obj': stone[0], 'top.obj': stone[1] })).assetId);
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });
  const extract = (change: Partial<MeasureRequest>, id = asset.id) =>
    client.json<JobInfo & { code?: string; message?: string }>(`/assets/${id}/spans`, 'POST', { ...small, ...change });

  it('measures the tiles that are ticked, then the rest into the same span; a proof wants them all', async () => {
    const job = await client.ended((await extract({ tiles: [1011, 1002] })).body.id);
    expect(job).toMatchObject({ state: 'done', tasks: 2, tasksDone: 2, title: expect.stringMatching(/tiles 1002 and 1011$/) as string });
    const [span] = (await client.asset(asset.id)).spans;
    expect(span.fields.map((f) => f.tile)).toEqual([1002, 1011]);
    const encoding = { depth: '16', midpoint: 32768 / 65535, scale: 60, fit: 'by hand', fileType: 'tif' };
    const prove = () =>
      client.json<JobInfo & { message?: string }>(`/spans/${span.id}/proofs`, 'POST', { encoding, subdivisions: 1, tolerance: null });
    expect((await prove()).body.message).toBe(
      'Tiles 1001 and 1012 of this span are not measured yet; extract the rest, then prove the whole.',
    );
    await client.ended((await extract({ tiles: [1001, 1012] })).body.id);
    const after = await client.asset(asset.id);
    expect(after.spans.map((s) => [s.id, s.fields.length])).toEqual([[span.id, 4]]);
    expect((await client.ended((await prove()).body.id)).state).toBe('done');
  });

  it('tells browsers piece by piece what has been measured, in messages that every process can carry', async () => {
    const events = new AbortController();
    const stream = await fetch(`${server.url}/api/events`, { signal: events.signal });
    const rows = new Map<number, number>();
    let longest = 0;
    const reading = (async () => {
      let text = '';
      const decoder = new TextDecoder();
      for await (const chunk of stream.body as unknown as AsyncIterable<Uint8Array>) {
        text += decoder.decode(chunk, { stream: true });
        for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n')) {
          const data = /^data: ?(.*)$/.exec(text.slice(0, at))?.[1];
          text = text.slice(at + 1);
          const event = data ? eventSchema.safeParse(JSON.parse(data)) : null;
          if (!event?.success || event.data.type !== 'piece') continue;
          const { piece } = event.data;
          longest = Math.max(longest, data?.length ?? 0);
          expect(Buffer.from(piece.data, 'base64')).toHaveLength(2 * piece.width * piece.rows);
          rows.set(piece.tile, (rows.get(piece.tile) ?? 0) + piece.rows);
        }
      }
    })().catch((error: unknown) => {
      if (!events.signal.aborted) throw error;
    });
    await client.ended((await extract({ size: 300 })).body.id);
    await new Promise((resolve) => setTimeout(resolve, 300));
    events.abort();
    await reading;
    expect([...rows]).toEqual([1001, 1002, 1011, 1012].map((tile) => [tile, 150])); // every other row of 300
    expect(longest).toBeLessThan(8000 - 100);
  });

  it('starts one pass when two people ask for the same, and refuses one that would get in its way', async () => {
    const slow = { kinds: ['occlusion' as const], occlusionRays: 256, size: 256, samples: 2 };
    const answers = await Promise.all([extract(slow), extract(slow)]);
    const [{ body: job }] = answers;
    const part = await extract({ ...slow, tiles: [1001] }); // of what is on the press already
    expect([...answers, part].map((a) => a.body.id)).toEqual([job.id, job.id, job.id]);
    const both = await extract({ ...slow, kinds: ['occlusion', 'curvature'] });
    expect([both.status, both.body.code]).toEqual([409, 'CONFLICT']);
    expect(both.body.message).toMatch(/^Extract Stone, levels 0 to 1, occlusion is still on the press/);
    expect((await client.json<JobInfo>(`/jobs/${job.id}/pause`, 'POST')).body.state).toBe('paused');
    await client.json(`/jobs/${job.id}/cancel`, 'POST');
    expect(await client.ended(job.id)).toMatchObject({ state: 'cancelled' });
    const urgent = await client.json<JobInfo>(`/jobs/${job.id}/priority`, 'PUT', { priority: 'urgent' });
    expect(urgent.body.priority).toBe(1);
  });

  it('refuses before the start what cannot work, by name', async () => {
    const bell = harbourBell(1).map((mesh) => writeObj({ ...mesh, colors: null }));
    const plain = await client.bringIn('Bell', { 'low.obj': bell[0], 'top.obj': bell[1] });
    const cases: [Partial<MeasureRequest>, string | null, string, RegExp][] = [
      [{ tiles: [1005] }, asset.id, 'NO_TILE', /^Tile 1005 has no islands; Stone uses 1001, 1002, 1011 and 1012\.$/],
      [{ size: 16384, kinds: ['scalar', 'vector', 'normal', 'occlusion', 'curvature', 'hollows', 'colour'], matchSeams: true }, asset.id, 'NO_MEMORY', /16384 x 16384 with these 7 maps needs about [0-9.]+ GiB of memory and [0-9.]+ GiB are free/],
      [{ kinds: ['colour'] }, plain.assetId, 'NO_COLOURS', /^Level 1 has no point colours/],
    ]; // prettier-ignore
    for (const [change, id, code, message] of cases) {
      const { body } = await extract(change, id ?? '');
      expect([body.code, body.message]).toEqual([code, expect.stringMatching(message)]);
    }
  });

  it('keeps recipes by name, for every part, and overwrites none', async () => {
    const recipe = { name: 'Fine heights', unit: 'mm', settings: { ...small, size: 4096, matchSeams: true } };
    const first = await client.json<{ id: string; code?: string }>('/recipes', 'POST', recipe);
    expect(first.status).toBe(201);
    const again = await client.json<{ code: string; message: string }>('/recipes', 'POST', { ...recipe, settings: small });
    expect([again.status, again.body.code, again.body.message]).toEqual([
      409,
      'CONFLICT',
      expect.stringMatching(/^There is a recipe named Fine heights already/),
    ]);
    expect((await client.json('/recipes')).body).toEqual([{ id: first.body.id, ...recipe }]);
    const bad = await client.json<{ message: string }>('/recipes', 'POST', { ...recipe, name: ' ', settings: { ...small, size: 1 } });
    expect(bad.status).toBe(400);
    // chosen for one asset, every asset of its production starts from it, until it goes
    const [{ id }] = (await client.json<AssetSummary[]>('/assets')).body;
    const usual = (recipeId: string | null) => client.json<{ code: string }>(`/assets/${id}/usual-recipe`, 'PUT', { recipeId });
    expect((await usual(first.body.id)).status).toBe(204);
    expect((await client.asset(id)).usual).toEqual({ id: first.body.id, ...recipe });
    expect((await usual(randomUUID())).body.code).toBe('NOT_FOUND');
    await client.json(`/recipes/${first.body.id}`, 'DELETE');
    expect((await client.asset(id)).usual).toBeNull();
    expect((await client.json('/recipes')).body).toEqual([]);
  });
});
