import type { JobInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { writeObj } from '@estampe/core';
import { kelpGrown, kelpHoldfastBase } from '@estampe/demo';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

describe('the detail of a free sculpt', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });

  it('becomes a part of its own with levels, from which vectors are measured; the part itself stays', async () => {
    const { assetId } = await client.bringIn('Kelp', { 'low.obj': writeObj(kelpHoldfastBase()), 'grown.obj': writeObj(kelpGrown(1)) });
    const before = await client.asset(assetId);
    expect(before.stackKind).toBe('free');
    const started = await client.json<JobInfo>(`/parts/${before.part.id}/transfer`, 'POST', {});
    expect(started.status).toBe(202);
    expect(await client.ended(started.body.id)).toMatchObject({ error: null, state: 'done', partId: before.part.id });
    const after = await client.asset(assetId);
    expect(after.parts[0]).toEqual(before.parts[0]);
    const made = after.parts[1];
    expect([made.name, made.stackKind, made.levelList.map(({ faces }) => faces)]).toEqual(['Kelp, levels', 'stack', [1536, 6144]]);
    expect(made.levelList[0].transfer).toBeUndefined();
    for (const { transfer } of made.levelList.slice(1)) {
      expect(transfer).toMatchObject({ folds: 0 });
      expect(transfer?.projectedShare).toBeGreaterThan(0.99);
    }
    expect(made.levelList[1].transfer?.rms).toBeLessThan(0.8);
    const pass = { ...MEASURE_DEFAULTS, kinds: ['vector'], size: 64, toLevel: 1 };
    const measured = await client.json<JobInfo>(`/assets/${assetId}/spans?part=${made.id}`, 'POST', pass);
    expect(await client.ended(measured.body.id)).toMatchObject({ state: 'done' });
    // asked for again it is another part
    const again = await client.json<JobInfo>(`/parts/${before.part.id}/transfer`, 'POST', { levels: 1, reach: 40 });
    expect(await client.ended(again.body.id)).toMatchObject({ state: 'done' });
    expect((await client.asset(assetId)).parts.map(({ name }) => name)).toEqual(['Kelp', 'Kelp, levels', 'Kelp, levels 2']);
  });

  it('is refused where there is no free sculpt, and with settings that cannot be', async () => {
    const [low, top] = plate();
    const { assetId } = await client.bringIn('Plate', { 'low.obj': low, 'top.obj': top });
    const { part } = await client.asset(assetId);
    const refused = await client.json<{ message: string }>(`/parts/${part.id}/transfer`, 'POST', {});
    expect([refused.status, refused.body.message]).toEqual([409, expect.stringMatching(/has its levels already/)]);
    for (const wrong of [{ levels: 9 }, { levels: 1.5 }, { reach: 0 }, { reach: -2 }, { more: 1 }])
      expect((await client.json(`/parts/${part.id}/transfer`, 'POST', wrong)).status).toBe(400);
  });
});
