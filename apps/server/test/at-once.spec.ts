import { createHash } from 'node:crypto';
import type { AssetDetail, JobInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { Client } from 'pg';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

/** Numbers from 0 to 1 that are the same in every run (Lehmer's generator). */
function seeded(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}

describe('a part that several change at once', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  let assetId = '';
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });
  beforeEach(async () => {
    const [low, top] = plate();
    assetId = String((await client.bringIn('Plate', { 'low.obj': low, 'top.obj': top })).assetId);
  });

  const edits = (asset: AssetDetail): Record<string, [path: string, body: unknown]> => ({
    drop: [`/parts/${asset.part.id}/levels`, { op: 'drop', end: 'top' }],
    raise: [`/parts/${asset.part.id}/levels`, { op: 'drop', end: 'base' }],
    add: [`/parts/${asset.part.id}/levels`, { op: 'add' }],
    settle: [`/parts/${asset.part.id}/levels`, { op: 'settle' }],
    unwrap: [`/assets/${assetId}/uvs`, {}],
    move: [`/parts/${asset.part.id}/islands`, { op: 'move', faces: [0], by: [0.001, 0] }],
    mirror: [`/parts/${asset.part.id}/islands`, { op: 'mirror', faces: [0] }],
    mend: [`/assets/${assetId}/mends`, { mend: 'shift-islands' }],
  });
  const ask = (asset: AssetDetail, what: string, seen: string | null = part(asset).stamp) => {
    const [path, body] = edits(asset)[what];
    return client.json<JobInfo & { message: string }>(seen === null ? path : `${path}?seen=${seen}`, 'POST', body);
  };
  const part = (asset: AssetDetail) => asset.parts[0];
  /** What a state is made of, by content. */
  const contents = async (asset: AssetDetail): Promise<string> => {
    const hash = createHash('sha256');
    for (const { meshId } of asset.levelList) hash.update(new Uint8Array(await (await fetch(`${server.url}/api/meshes/${meshId}/data`)).arrayBuffer())); // prettier-ignore
    return hash.digest('hex');
  };
  const allEnded = async (): Promise<JobInfo[]> => {
    const jobs = (await client.json<JobInfo[]>('/jobs')).body;
    return Promise.all(jobs.map((job) => client.ended(job.id)));
  };

  it('is changed once by what was asked of one state, and keeps its light mesh; the rest is refused with what changed', async () => {
    const before = await client.asset(assetId);
    const answers = await Promise.all(['drop', 'drop', 'drop', 'settle', 'unwrap', 'move', 'mend'].map((what) => ask(before, what)));
    expect(answers.map(({ status }) => status)).toEqual([202, 202, 202, 202, 202, 202, 202]);
    const jobs = await allEnded();
    const own = jobs.filter((job) => answers.some(({ body }) => body.id === job.id));
    // equal wishes are one job
    expect(own).toHaveLength(5);
    expect(own.filter((job) => job.state === 'done')).toHaveLength(1);
    for (const { error } of own.filter((job) => job.state === 'failed')) expect(error).toMatch(/^Plate has changed since this was asked for \(.+\), so nothing was done to it/); // prettier-ignore
    const after = await client.asset(assetId);
    expect(part(after).states).toHaveLength(2);
    expect(part(after).stamp).not.toBe(part(before).stamp);
    // asked again, it is made from what there is now
    const refused = own.find((job) => job.state === 'failed' && job.kind === 'islands') ?? own.find((job) => job.state === 'failed');
    await client.json(`/jobs/${refused?.id}/retry`, 'POST', {});
    expect(await client.ended(String(refused?.id))).toMatchObject({ state: 'done' });
    // a page that shows an older state is refused at once
    const late = await ask(before, 'unwrap');
    expect([late.status, late.body.message]).toEqual([409, expect.stringContaining('Plate has changed since this was asked for')]);
    const back = `/parts/${part(before).id}/state?seen=${part(before).stamp}`;
    expect((await client.json(back, 'PUT', { place: 0 })).status).toBe(409);
    expect((await client.json(`/parts/${part(before).id}/groups?seen=${part(before).stamp}`, 'PUT', { title: 'x', groups: { names: [], runs: [] } })).status).toBe(409); // prettier-ignore
  });

  it('has its islands moved one after the other as fast as they are dropped', async () => {
    const before = await client.asset(assetId);
    const moves = [];
    for (const what of ['move', 'mirror', 'move', 'move']) moves.push((await ask(before, what)).body.id);
    const ended = await Promise.all(moves.map((id) => client.ended(id)));
    expect(ended.map(({ state, error }) => [state, error])).toEqual(moves.map(() => ['done', null]));
    expect(part(await client.asset(assetId)).states).toHaveLength(5);
  });

  it('is asked for more passes at once than the database has connections, and for one proof ten times, which is one', async () => {
    const pass = (size: number) => client.json<JobInfo>(`/assets/${assetId}/spans`, 'POST', { ...MEASURE_DEFAULTS, kinds: ['scalar'], size, toLevel: 2 }); // prettier-ignore
    await client.ended((await pass(64)).body.id);
    const [{ id, encoding }] = (await client.asset(assetId)).spans;
    // it has its encoding though nobody gave it one
    expect(encoding).toMatchObject({ depth: '16', fileType: 'tif', fit: 'symmetric' });
    const proofs = await Promise.all(Array.from({ length: 10 }, () => client.json<JobInfo>(`/spans/${id}/proofs`, 'POST', { encoding, subdivisions: 2, tolerance: null }))); // prettier-ignore
    expect(new Set(proofs.map(({ body }) => body.id)).size).toBe(1);
    const passes = await Promise.all(Array.from({ length: 24 }, (_, k) => pass(72 + 8 * k)));
    expect(passes.map(({ status }) => status)).toEqual(passes.map(() => 202));
    expect(await client.ended(proofs[0].body.id)).toMatchObject({ state: 'done' });
    await Promise.all(passes.map(({ body }) => client.json(`/jobs/${body.id}/cancel`, 'POST', {})));
  });

  it('is renamed by one of two', async () => {
    const rename = (name: string) => client.json<{ message: string } | null>(`/assets/${assetId}`, 'PATCH', { name, was: 'Plate' });
    const two = await Promise.all([rename('Tray'), rename('Dish')]);
    expect(two.map(({ status }) => status).sort()).toEqual([204, 409]);
    expect(two.find(({ status }) => status === 409)?.body?.message).toMatch(/Plate has been called (Tray|Dish) meanwhile/);
  });

  it('opens after any edits, undos, passes, removals and kills, and its states lead back byte by byte', async () => {
    const random = seeded(47);
    const known = new Map<string, string>();
    const first = await client.asset(assetId);
    const names = Object.keys(edits(first));
    for (let round = 0; round < 8; round++) {
      const asset = await client.asset(assetId);
      const { id: partId, states, stamp } = part(asset);
      const wishes = Array.from({ length: 6 }, async (_, k) => {
        const dice = random();
        // some pages show what there is, programs say nothing, and some pages are old
        const seen = k % 3 === 0 ? stamp : k % 3 === 1 ? null : part(first).stamp;
        if (dice < 0.6) return ask(asset, names[Math.floor(random() * names.length)], seen);
        if (dice < 0.75 && states.length > 0) return client.json(`/parts/${partId}/state${seen === null ? '' : `?seen=${seen}`}`, 'PUT', { place: states[Math.floor(random() * states.length)].place }); // prettier-ignore
        if (dice < 0.9) return client.json(`/assets/${assetId}/spans`, 'POST', { ...MEASURE_DEFAULTS, kinds: ['scalar'], size: 64, toLevel: 1 + Math.floor(2 * random()) }); // prettier-ignore
        await client.json(`/assets/${assetId}`, 'PATCH', { removed: true });
        return client.json(`/assets/${assetId}`, 'PATCH', { removed: false });
      });
      const statuses = (await Promise.all(wishes)).map(({ status }) => status);
      expect(statuses.filter((status) => status >= 500)).toEqual([]);
      if (round % 4 === 3) {
        await server.stop();
        server = await startTestServer(database.url);
        client = new TestClient(server.url);
      }
      expect((await allEnded()).filter((job) => job.error?.includes('Something went wrong'))).toEqual([]);
      const now = await client.asset(assetId);
      expect(now.levelList.map(({ level }) => level)).toEqual(now.levelList.map((_, k) => k));
      for (const { place } of part(now).states) {
        expect((await client.json(`/parts/${partId}/state`, 'PUT', { place })).status).toBe(204);
        const there = await client.asset(assetId);
        const content = await contents(there);
        expect(known.get(part(there).stamp) ?? content).toBe(content);
        known.set(part(there).stamp, content);
      }
    }
  });

  it('that has lost its levels opens at its last whole state, and says so; one without states names itself', async () => {
    await client.ended((await ask(await client.asset(assetId), 'add')).body.id);
    const before = await client.asset(assetId);
    const db = new Client({ connectionString: database.url });
    await db.connect();
    const lose = `delete from level where stack_id in (select id from level_stack where part_id = $1)`;
    await db.query(lose, [part(before).id]);
    const said = await client.asset(assetId);
    expect(said.findings[0].message).toBe("Plate had lost its levels and went back to its last whole state, 'level 3 added'; look at it, and do again what came after."); // prettier-ignore
    expect(said.levelList.map((level) => level.meshId)).toEqual(before.levelList.map((level) => level.meshId));
    expect((await client.asset(assetId)).findings.some(({ code }) => code === 'unreadable')).toBe(false);
    await db.query(lose, [part(before).id]);
    await db.query(`delete from part_state where part_id = $1`, [part(before).id]);
    const gone = await client.json<{ message: string }>(`/assets/${assetId}`);
    expect([gone.status, gone.body.message]).toEqual([409, expect.stringContaining('Plate has lost its levels')]);
    await db.end();
  });
});
