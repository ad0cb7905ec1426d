import type { JobInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { polyMesh, writeObj } from '@estampe/core';
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

  it('of a stack goes over to a later light mesh of other polygons', async () => {
    const [low, top] = plate();
    const { assetId } = await client.bringIn('Plate', { 'low.obj': low, 'top.obj': top });
    const { part, levelList } = await client.asset(assetId);
    // the same square, in three by three faces
    const later = writeObj(polyMesh({
      positions: Float32Array.from({ length: 48 }, (_, i) => [(i / 3) & 3, 0, ((i / 3) >> 2) & 3].map((x) => x / 3)[i % 3]),
      faceVerts: Uint32Array.from({ length: 36 }, (_, c) => { const f = c >> 2; return (f % 3) + 4 * Math.floor(f / 3) + [0, 4, 5, 1][c & 3]; }),
      faceOffsets: Uint32Array.from({ length: 10 }, (_, f) => 4 * f),
    })); // prettier-ignore
    const { hash, name } = (await client.upload('later.obj', later)).body;
    const started = await client.json<JobInfo>(`/parts/${part.id}/transfer`, 'POST', { levels: 2, onto: { hash, name } });
    expect(await client.ended(started.body.id)).toMatchObject({ error: null, state: 'done' });
    const [before, made] = (await client.asset(assetId)).parts;
    expect(before.levelList).toEqual(levelList);
    expect(made.levelList.map(({ faces }) => faces)).toEqual([9, 36, 144]);
    const gone = { hash: 'f'.repeat(64), name: 'gone.obj' };
    const refused = await client.json<{ message: string }>(`/parts/${part.id}/transfer`, 'POST', { onto: gone });
    expect([refused.status, refused.body.message]).toEqual([404, expect.stringMatching(/gone.obj has not arrived/)]);
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
