import type { AssetDetail, AssetSummary, EncodingSettings, JobInfo, MeasureRequest } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { writeObj } from '@estampe/core';
import { bellClapper, kelpHoldfast } from '@estampe/demo';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

const [bellLow, bellTop] = plate();
const clapper = bellClapper(2).map((mesh) => writeObj(mesh));
const heights: MeasureRequest = { ...MEASURE_DEFAULTS, size: 64, toLevel: 2 };
const encoding: EncodingSettings = {
  depth: '16',
  midpoint: 0.5,
  scale: 25,
  fit: 'full',
  fileType: 'tif',
  green: 'up',
  keepBlue: true,
  axes: '',
  each: null,
};

describe('parts of an asset', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  let assetId: string;
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
    assetId = (await client.bringIn('Bell', { 'low.obj': bellLow, 'top.obj': bellTop })).assetId ?? '';
    await client.bringIn('Clapper', { 'low.obj': clapper[0], 'top.obj': clapper[2] }, assetId);
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });
  const second = async (): Promise<AssetDetail> => client.asset(assetId, (await client.asset(assetId)).parts[1].id);
  const measure = (partId: string, request: MeasureRequest) =>
    client.json<JobInfo & { message: string }>(`/assets/${assetId}/spans?part=${partId}`, 'POST', request);

  it('come into the asset that is named, each with levels of its own, and the list says their names', async () => {
    const asset = await client.asset(assetId);
    expect(asset.parts.map((p) => [p.name, p.levelList.length, p.tiles])).toEqual([
      ['Bell', 3, [1001]],
      ['Clapper', 3, [1001]],
    ]);
    expect([asset.part.name, asset.lowFaces]).toEqual(['Bell', 108]);
    expect(await second()).toMatchObject({ part: { name: 'Clapper' }, name: 'Bell', lowFaces: 864, topFaces: 13824 });
    const list = (await client.json<AssetSummary[]>('/assets')).body;
    expect(list.find((a) => a.id === assetId)?.parts).toEqual(['Bell', 'Clapper']);
  });

  it('are refused under a name that is taken, in another unit, for an asset that is not there, and unknown ones are not shown', async () => {
    const files = { 'low.obj': clapper[0], 'top.obj': clapper[2] };
    const twice = await client.askToBringIn('Clapper', files, { unit: 'mm', assetId });
    expect([twice.status, twice.body.message]).toEqual([409, 'Bell has a part named Clapper; give this one another name.']);
    const inches = await client.askToBringIn('Yoke', files, { unit: 'in', assetId });
    expect([inches.status, inches.body.message]).toEqual([400, expect.stringContaining('Bell is in mm; write this part in the same unit')]);
    const nowhere = '00000000-0000-4000-8000-000000000000';
    expect((await client.askToBringIn('Yoke', files, { unit: 'mm', assetId: nowhere })).status).toBe(404);
    expect((await client.json(`/assets/${assetId}?part=${nowhere}`)).status).toBe(404);
    expect((await client.json(`/assets/${assetId}?part=1`)).status).toBe(400);
    expect((await client.asset(assetId)).parts).toHaveLength(2);
  });

  it('are renamed, taken away and brought back, as their asset is, and nothing of them is lost', async () => {
    const change = (path: string, body: object) => client.json<{ message: string }>(path, 'PATCH', body);
    const { id } = (await second()).part;
    expect((await change(`/parts/${id}`, { name: ' Tongue ' })).status).toBe(204);
    expect((await second()).part.name).toBe('Tongue');
    const taken = await change(`/parts/${id}`, { name: 'Bell' });
    expect([taken.status, taken.body.message]).toEqual([409, 'This asset has another part named Bell; give this one another name.']);

    await change(`/parts/${id}`, { removed: true });
    const { parts } = await client.asset(assetId);
    expect(parts.map((p) => p.name)).toEqual(['Bell']);
    expect((await client.json(`/assets/${assetId}?part=${id}`)).status).toBe(404);
    const last = await change(`/parts/${parts[0].id}`, { removed: true });
    expect([last.status, last.body.message]).toEqual([409, 'Bell is the only part of its asset; remove the asset instead.']);
    // its name is free meanwhile; then it comes back only under another
    await change(`/parts/${parts[0].id}`, { name: 'Tongue' });
    expect((await change(`/parts/${id}`, { removed: false })).status).toBe(409);
    expect((await change(`/parts/${id}`, { removed: false, name: 'Clapper' })).status).toBe(204);
    await change(`/parts/${parts[0].id}`, { name: 'Bell' });
    expect((await client.asset(assetId)).parts.map((p) => [p.name, p.levelList.length])).toEqual([['Bell', 3], ['Clapper', 3]]); // prettier-ignore

    const listed = async () => (await client.json<AssetSummary[]>('/assets')).body.filter((a) => a.id === assetId).map((a) => a.name);
    await change(`/assets/${assetId}`, { name: 'Fog bell' });
    expect(await listed()).toEqual(['Fog bell']);
    await change(`/assets/${assetId}`, { removed: true });
    expect([await listed(), (await client.json(`/assets/${assetId}`)).status]).toEqual([[], 404]);
    await change(`/assets/${assetId}`, { removed: false, name: 'Bell' });
    expect(await listed()).toEqual(['Bell']);
    for (const body of [{}, { name: '' }, { removed: 'yes' }, { unit: 'cm' }])
      expect((await change(`/assets/${assetId}`, body)).status).toBe(400);
  });

  it('are measured, proven and delivered one by one, and each keeps its own way of being measured', async () => {
    const { parts } = await client.asset(assetId);
    const ofClapper = { ...heights, kinds: ['scalar', 'normal'] as MeasureRequest['kinds'], size: 128 };
    const jobs = await Promise.all([measure(parts[0].id, heights), measure(parts[1].id, ofClapper)]);
    expect(jobs.map((j) => j.body.title)).toEqual([
      'Extract Bell, levels 0 to 2, heights',
      'Extract Bell, Clapper, levels 0 to 2, heights and normals',
    ]);
    for (const { body } of jobs) expect(await client.ended(body.id)).toMatchObject({ state: 'done' });
    const [first, other] = [await client.asset(assetId), await second()];
    expect(first.spans.map((s) => [s.settings.kind, s.settings.size])).toEqual([['scalar', 64]]);
    expect(other.spans.map((s) => [s.settings.kind, s.settings.size])).toEqual([
      ['scalar', 128],
      ['normal', 128],
    ]);
    expect(first.parts.map((p) => p.recipe)).toEqual([heights, ofClapper]);

    const [span] = other.spans;
    const prove = await client.json<JobInfo>(`/spans/${span.id}/proofs`, 'POST', { encoding, subdivisions: 2, tolerance: null });
    expect(prove.body.title).toBe('Prove Bell, Clapper, heights, 16 bit');
    await client.ended(prove.body.id);
    const [proof] = (await second()).spans[0].proofs;
    expect(proof.maps[0].name).toBe('bell-clapper_scalar_L0-L2_16i.tif');
    const request = { proofIds: [proof.id], withSculpt: false };
    // a proof of one part cannot go into another part's delivery: it has another light mesh
    expect((await client.json(`/assets/${assetId}/deliveries`, 'POST', request)).status).toBe(404);
    const delivered = await client.json<JobInfo>(`/assets/${assetId}/deliveries?part=${parts[1].id}`, 'POST', request);
    expect(await client.ended(delivered.body.id)).toMatchObject({ state: 'done' });
    expect((await second()).deliveries.map((d) => d.name)).toEqual(['bell-clapper_v001']);
  });

  it('take a recipe of another part, and a light mesh that is brought in again moves only its own part', async () => {
    const { parts } = await client.asset(assetId);
    const copied: MeasureRequest = { ...heights, kinds: ['vector', 'occlusion'], size: 256, radius: 3.5 };
    expect((await client.json(`/parts/${parts[1].id}/recipe`, 'PUT', copied)).status).toBe(204);
    expect((await client.asset(assetId)).parts.map((p) => p.recipe?.kinds)).toEqual([['scalar'], ['vector', 'occlusion']]);
    expect((await client.json(`/parts/${parts[1].id}/recipe`, 'PUT', { ...copied, size: 3 })).status).toBe(400);
    expect((await client.json(`/parts/${assetId}/recipe`, 'PUT', copied)).status).toBe(404);

    const moved = new TextDecoder().decode(clapper[0]).replace(/^v (\S+)/m, (_line, x: string) => `v ${Number(x) + 2}`);
    const { body } = await client.upload('moved.obj', new TextEncoder().encode(moved));
    const low = await client.json<JobInfo>(`/assets/${assetId}/low?part=${parts[1].id}`, 'POST', { hash: body.hash, name: body.name });
    expect(low.body.title).toBe('Bring in the light mesh of Bell, Clapper again');
    expect(await client.ended(low.body.id)).toMatchObject({ state: 'done' });
    expect((await second()).findings[0]).toMatchObject({ code: 'points-moved', count: 1 });
    expect((await second()).spans.every((s) => s.outOfDate)).toBe(true);
    expect((await client.asset(assetId)).spans.some((s) => s.outOfDate)).toBe(false);
  });

  it('a free sculpt is measured by rays, and what answered from another layer is counted', async () => {
    const [low, sculpt] = kelpHoldfast(2).map((mesh) => writeObj(mesh));
    const job = await client.bringIn('Holdfast', { 'holdfast.obj': low, 'strands.obj': sculpt });
    const asset = await client.asset(job.assetId);
    expect(asset).toMatchObject({ stackKind: 'free', lowFaces: 1536 });
    const request: MeasureRequest = { ...MEASURE_DEFAULTS, size: 128 };
    const measured = await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', request);
    expect(await client.ended(measured.body.id)).toMatchObject({ state: 'done' });
    const [{ fields }] = (await client.asset(asset.id)).spans;
    expect(fields[0]).toMatchObject({ match: 'rays' });
    expect(fields[0].missed).toBeGreaterThan(100);
    expect(fields[0].sheets).toBeGreaterThan(0);
    const stack = await client.json<{ message: string }>(`/assets/${asset.id}/spans`, 'POST', { ...request, toLevel: 2 });
    expect([stack.status, stack.body.message]).toEqual([400, 'This asset has the levels 0 to 1; choose the span among them.']);
  });
});
