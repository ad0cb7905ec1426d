import type { AssetDetail, AssetSummary, JobInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { readObj, writeObj } from '@estampe/core';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

const [low, top] = plate();
const bare = writeObj({ ...readObj(low).mesh, uvs: null, faceUvs: null });
type Asked = JobInfo & { message: string };

describe('bringing in', () => {
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
  const file = async (name: string, bytes: Uint8Array) => {
    const { body } = await client.upload(name, bytes);
    return { hash: body.hash, name: body.name };
  };
  const ask = (body: object) => client.json<Asked>('/assets', 'POST', { unit: 'mm', ...body });
  /** All jobs but those that ended before. */
  const allEnded = async (): Promise<JobInfo[]> => {
    const jobs = (await client.json<JobInfo[]>('/jobs')).body;
    return Promise.all(jobs.map(({ id }) => client.ended(id)));
  };

  it('makes one asset of several parts, also where the files of one cannot be read', async () => {
    const files = [await file('low.obj', low), await file('top.obj', top)];
    const torn = await file('torn.obj', new TextEncoder().encode('v 0 0 0\nf 1 2 3\n'));
    const { status } = await ask({
      name: 'Quay',
      up: 'z',
      parts: [{ name: 'Torn', files: [torn] }, { name: 'Left', files }, { name: 'Right', files: [files[0]] }], // prettier-ignore
    });
    expect(status).toBe(202);
    const ended = await allEnded();
    expect(
      ended
        .filter(({ title }) => title.endsWith('of Quay'))
        .map(({ title, state }) => [title, state])
        .sort(),
    ).toEqual([
      ['Bring in Left of Quay', 'done'],
      ['Bring in Right of Quay', 'done'],
      ['Bring in Torn of Quay', 'failed'],
    ]);
    const all = (await client.json<AssetSummary[]>('/assets')).body;
    const [only, ...others] = all.filter(({ name }) => name === 'Quay');
    expect(others).toEqual([]);
    expect([only.name, only.up, [...only.parts].sort()]).toEqual(['Quay', 'z', ['Left', 'Right']]);
    const twice = await ask({ name: 'Quay', assetId: only.id, parts: [{ name: 'New', files }, { name: 'Left', files }] }); // prettier-ignore
    expect([twice.status, twice.body.message]).toEqual([409, 'Quay has a part named Left; give this one another name.']);
    expect((await client.asset(only.id)).parts).toHaveLength(2);
  });

  it('welcomes a mesh by itself, says what is missing, and completes it from either side', async () => {
    for (const [first, then, other] of [
      ['bare.obj', bare, top],
      ['top.obj', top, bare],
    ] as const) {
      const made = await client.bringIn(`Alone ${first}`, { [first]: then });
      const alone = await client.asset(made.assetId);
      expect(alone).toMatchObject({ stackKind: 'alone', levels: 1 });
      const measured = await client.json<Asked>(`/assets/${alone.id}/spans`, 'POST', { ...MEASURE_DEFAULTS, size: 64 });
      expect([measured.status, measured.body.message]).toEqual([
        409,
        `Alone ${first} is one mesh, and such a map measures from a light mesh to a finer one; bring its other in, in the step Sculpt.`,
      ]);
      const parts = [{ name: 'x', files: [await file('other.obj', other)] }];
      const job = await ask({ name: 'x', assetId: alone.id, partId: alone.part.id, parts });
      expect(job.body).toMatchObject({ title: `Complete Alone ${first}`, partId: alone.part.id });
      expect(await client.ended(job.body.id)).toMatchObject({ state: 'done' });
      const whole = await client.asset(alone.id);
      expect(whole).toMatchObject({ stackKind: 'stack', levels: 3, lowFaces: 108, name: `Alone ${first}`, states: [] });
      const again = await ask({ name: 'x', assetId: alone.id, partId: alone.part.id, parts });
      expect([again.status, again.body.message]).toEqual([409, `Alone ${first} has its meshes; bring these in as a part of their own.`]);
    }
  });

  it('keeps what was unwrapped of a light mesh that waited for its sculpt', async () => {
    const { assetId } = await client.bringIn('Plate', { 'bare.obj': bare });
    const asset = await client.asset(assetId);
    expect(asset.tiles).toEqual([]);
    const { body } = await client.json<JobInfo>(`/assets/${asset.id}/uvs`, 'POST', {});
    await client.ended(body.id);
    const { uv } = await client.asset(assetId);
    const parts = [{ name: 'x', files: [await file('top.obj', top)] }];
    await client.ended((await ask({ name: 'x', assetId, partId: asset.part.id, parts })).body.id);
    const whole: AssetDetail = await client.asset(assetId);
    expect([whole.stackKind, whole.tiles, whole.uv]).toEqual(['stack', [1001], uv]);
  });
});
