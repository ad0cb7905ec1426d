import type { JobInfo, StorageInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { writeObj } from '@estampe/core';
import { harbourBell } from '@estampe/demo';
import type { Database } from '../src/db/connect';
import { connect } from '../src/db/connect';
import { StoredData } from '../src/repositories/stored-data';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

const [low, top] = plate();
const settings = { ...MEASURE_DEFAULTS, kinds: ['scalar'] as const, toLevel: 2, size: 64 };
const encoding = { depth: '16', midpoint: 32768 / 65535, scale: 25, fit: 'by hand', fileType: 'tif', green: 'up', keepBlue: true, axes: '', each: null } as const; // prettier-ignore

describe('what is stored', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  let db: Database;
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
    db = connect(database.url);
  });
  afterAll(async () => {
    await db.sequelize.close();
    await server.stop();
    await database.drop();
  });

  const post = async (path: string, body: object): Promise<JobInfo> =>
    client.ended((await client.json<JobInfo>(path, 'POST', body)).body.id);
  /** A plate with proven heights whose light mesh then changes. */
  async function changedPlate(name: string, deliver: boolean): Promise<string> {
    const { assetId } = await client.bringIn(name, { 'low.obj': low, 'top.obj': top });
    const { spanId } = await post(`/assets/${assetId}/spans`, settings);
    // equal files would be one, and delivered with the other
    await post(`/spans/${spanId}/proofs`, { encoding: { ...encoding, scale: deliver ? 25 : 30 }, subdivisions: 2, tolerance: null });
    const [{ proofs }] = (await client.asset(assetId)).spans;
    if (deliver) await post(`/assets/${assetId}/deliveries`, { proofIds: proofs.map((p) => p.id), withSculpt: false });
    const moved = new TextEncoder().encode(new TextDecoder().decode(low).replace('v 25 0 0', `v 26 ${name.length} 0`));
    const { body } = await client.upload('again.obj', moved);
    await post(`/assets/${assetId}/low`, { hash: body.hash, name: body.name });
    return assetId ?? '';
  }
  const isThere = async (path: string): Promise<boolean> => (await fetch(`${server.url}/api${path}`)).ok;

  it('is freed where nobody needs it: what was removed, what is out of date, what nothing names; what was delivered stays', async () => {
    const delivered = await changedPlate('Delivered', true);
    const old = await changedPlate('Old', false);
    const removed = (await client.bringIn('Removed', Object.fromEntries(harbourBell(1).map((m, k) => [`level ${k}.obj`, writeObj(m)])))).assetId ?? ''; // prettier-ignore
    const bell = await client.asset(removed);
    await client.json(`/assets/${removed}`, 'PATCH', { removed: true });

    // by the application's own rules all of that is too young
    expect((await client.json<StorageInfo>('/storage')).body).toMatchObject({ freeableBytes: 0, removed: 0, outOfDate: 1 });
    const stored = new StoredData(db, { removed: 0, stored: 0 });
    const before = await stored.figures();
    expect(before).toMatchObject({ removed: 1, outOfDate: 1 });
    expect(before.freeableBytes).toBeGreaterThan(low.length + top.length);
    expect(await isThere(`/meshes/${bell.levelList[1].meshId}/data`)).toBe(true);
    expect(await stored.free()).toEqual({ freed: { ...before, databaseBytes: expect.any(Number) as number }, assetIds: [old] });
    expect(await stored.figures()).toMatchObject({ freeableBytes: 0, removed: 0, outOfDate: 0 });

    expect((await client.json(`/assets/${removed}`, 'PATCH', { removed: false })).status).toBe(404);
    expect(await isThere(`/meshes/${bell.levelList[1].meshId}/data`)).toBe(false);
    const kept = await client.asset(delivered);
    expect(kept.spans).toHaveLength(1);
    for (const path of [`/deliveries/${kept.deliveries[0].id}/zip`, `/maps/${kept.spans[0].proofs[0].maps[0].id}/file`, `/pictures/${kept.parts[0].pictureHash}`])
      expect(await isThere(path)).toBe(true); // prettier-ignore
    expect((await client.asset(old)).spans).toEqual([]);
    // measured anew, and the state before is still there to go back to
    expect(await post(`/assets/${old}/spans`, settings)).toMatchObject({ state: 'done', error: null });
    await client.json(`/parts/${(await client.asset(old)).part.id}/state`, 'PUT', { place: 0 });
    expect(await post(`/assets/${old}/spans`, settings)).toMatchObject({ state: 'done', error: null });
  });

  it('stays while there is work on the press', async () => {
    const { assetId } = await client.bringIn('Busy', { 'low.obj': low, 'top.obj': top });
    const { body } = await client.json<JobInfo>(`/assets/${assetId}/spans`, 'POST', { ...settings, size: 1024, samples: 4 });
    expect(await client.json('/storage/free', 'POST')).toMatchObject({ status: 409, body: { message: expect.stringContaining('1 job') as string } }); // prettier-ignore
    await client.json(`/jobs/${body.id}/cancel`, 'POST');
    await client.ended(body.id);
    expect((await client.json('/storage/free', 'POST')).status).toBe(200);
  });
});
