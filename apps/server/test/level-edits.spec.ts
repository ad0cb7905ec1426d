import type { AssetDetail, JobInfo, LevelEditRequest, SpanInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { CORE_MESH_CODECS, faceCount, refineLevels, unpackMesh, writeObj } from '@estampe/core';
import { kelpGrown, kelpHoldfastBase } from '@estampe/demo';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

describe('levels of a part', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  let [assetId, partId] = ['', ''];
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
    const [low, top] = plate();
    assetId = String((await client.bringIn('Plate', { 'low.obj': low, 'top.obj': top })).assetId);
    partId = (await client.asset(assetId)).part.id;
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });

  const edit = async (request: LevelEditRequest, part = partId): Promise<JobInfo> => {
    const started = await client.json<JobInfo>(`/parts/${part}/levels`, 'POST', request);
    expect(started.status).toBe(202);
    return client.ended(started.body.id);
  };
  const seen = async (part = partId, asset = assetId): Promise<AssetDetail> =>
    (await client.json<AssetDetail>(`/assets/${asset}?part=${part}`)).body;
  const faces = async (part = partId, asset = assetId): Promise<number[]> =>
    (await seen(part, asset)).levelList.map((level) => level.faces);
  const points = async (meshId: string): Promise<Float32Array> => unpackMesh(new Uint8Array(await (await fetch(`${server.url}/api/meshes/${meshId}/data`)).arrayBuffer())).positions; // prettier-ignore

  it('come and go at both ends, and back by undo; maps are out of date meanwhile', async () => {
    const before = await seen();
    const counts = before.levelList.map((level) => level.faces);
    const pass = { ...MEASURE_DEFAULTS, kinds: ['scalar'], size: 64, toLevel: counts.length - 1 };
    await client.ended((await client.json<JobInfo>(`/assets/${assetId}/spans?part=${partId}`, 'POST', pass)).body.id);
    const isOld = async (): Promise<boolean[]> => (await seen()).spans.map((span: SpanInfo) => span.outOfDate);

    await edit({ op: 'add' });
    expect(await faces()).toEqual([...counts, 4 * counts[counts.length - 1]]);
    expect((await seen()).levelList.at(-1)?.detail).toBeCloseTo(0, 6);
    await edit({ op: 'drop', end: 'top' });
    expect(await faces()).toEqual(counts);
    await edit({ op: 'drop', end: 'base' });
    expect(await faces()).toEqual(counts.slice(1));
    expect((await seen()).uv?.islands).toBe(before.uv?.islands);
    expect(await isOld()).toEqual([true]);
    // the base comes back from its refinement, at the same places
    await edit({ op: 'recover', levels: 1 });
    expect(await faces()).toEqual(counts);
    const { states, statePlace } = await seen();
    expect(states.map((state) => state.title)).toEqual(['brought in', 'level 3 added', 'level 3 dropped', 'base raised by a level', '1 coarser level recovered']); // prettier-ignore
    expect(statePlace).toBe(4);
    for (const place of [3, 0]) expect((await client.json(`/parts/${partId}/state`, 'PUT', { place })).status).toBe(204);
    const after = await seen();
    expect(after.levelList).toEqual(before.levelList);
    expect(await isOld()).toEqual([false]);
  });

  it('are written as files of any format, with what they are of', async () => {
    const file = async (query: string): Promise<Response> => fetch(`${server.url}/api/parts/${partId}/level-file?${query}`);
    const { levelList } = await seen();
    for (const format of ['obj', 'ply', 'usd'] as const) {
      const response = await file(`level=1&format=${format}`);
      expect(response.headers.get('content-disposition')).toMatch(/plate-level-1\./);
      const { mesh } = CORE_MESH_CODECS[format].read(new Uint8Array(await response.arrayBuffer()), {});
      expect(faceCount(mesh)).toBe(levelList[1].faces);
    }
    expect((await file('level=7&format=obj')).status).toBe(404);
    expect((await (await file('level=0&format=gltf')).arrayBuffer()).byteLength).toBeGreaterThan(500);
    for (const wrong of ['level=1', 'level=1&format=doc', 'level=x&format=obj']) expect((await file(wrong)).status).toBe(400);
  });

  it('settle the base and say what it gained; the levels above stay', async () => {
    const before = await seen();
    const unsettled = (asset: AssetDetail): boolean => asset.findings.some(({ code }) => code === 'base-unsettled');
    expect(unsettled(before)).toBe(true);
    expect(await edit({ op: 'settle' })).toMatchObject({ state: 'done' });
    const after = await seen();
    expect(after.levelList.slice(1).map((l) => l.meshId)).toEqual(before.levelList.slice(1).map((l) => l.meshId));
    const note = after.findings.find(({ code }) => code === 'settled');
    const [was, is] = [...(note?.message.matchAll(/([\d.e-]+) (?:mm )?(?:before|after)/g) ?? [])].map((m) => Number(m[1]));
    expect([is < was, unsettled(after)]).toEqual([true, false]);
    expect(after.levelList[1].detail).not.toBe(before.levelList[1].detail);
    await client.json(`/parts/${partId}/state`, 'PUT', { place: 0 });
  });

  it('are smoothed and pushed by strokes, whole groups too', async () => {
    const { levelList } = await seen();
    const top = levelList[levelList.length - 1];
    await edit({ op: 'brush', strokes: [{ tool: 'push', radius: 1, strength: 1, points: [0], group: null }] });
    const now = (await seen()).levelList;
    expect(now.slice(0, -1)).toEqual(levelList.slice(0, -1));
    const [old, fresh] = [await points(top.meshId), await points(now[now.length - 1].meshId)];
    expect(fresh).not.toEqual(old);
    expect(fresh.subarray(0, 3)).not.toEqual(old.subarray(0, 3));
    await client.json(`/parts/${partId}/state`, 'PUT', { place: 0 });
  });

  it('are refused in words where they cannot be', async () => {
    const said = async (request: unknown, part = partId): Promise<[number, string]> => {
      const { status, body } = await client.json<{ message: string }>(`/parts/${part}/levels`, 'POST', request);
      return [status, body.message];
    };
    expect(await said({ op: 'project', reach: null })).toEqual([409, expect.stringMatching(/not made from a free sculpt/)]);
    const drag = { tool: 'drag', radius: 1, strength: 1, points: [0] };
    expect(await said({ op: 'brush', strokes: [drag] })).toEqual([409, expect.stringMatching(/nothing to project onto/)]);
    for (const wrong of [
      { op: 'add', more: 1 },
      { op: 'drop', end: 'middle' },
      { op: 'brush', strokes: [] },
      { op: 'brush', strokes: [{ ...drag, radius: 0 }] },
      { op: 'brush', strokes: [{ ...drag, tool: 'smooth', strength: -1 }] },
      { op: 'brush', strokes: [{ ...drag, points: [] }] },
    ])
      // prettier-ignore
      expect((await said(wrong))[0]).toBe(400);
    const failed = await edit({ op: 'recover', levels: 1 });
    expect([failed.state, failed.error]).toEqual(['failed', expect.stringMatching(/no refinement of a coarser one/)]);
    expect(await edit({ op: 'brush', strokes: [{ tool: 'push', radius: 1, strength: 1, points: [9e6], group: null }] })).toMatchObject({ state: 'failed', error: expect.stringMatching(/has no point 9000000/) as string }); // prettier-ignore
  });

  it('of a free sculpt are made one by one, each from what the brush left, and dragged to the sculpt', async () => {
    const kelp = String(
      (await client.bringIn('Kelp', { 'low.obj': writeObj(kelpHoldfastBase()), 'grown.obj': writeObj(kelpGrown(2)) })).assetId,
    );
    const free = await client.asset(kelp);
    await client.ended((await client.json<JobInfo>(`/parts/${free.part.id}/transfer`, 'POST', { levels: 1 })).body.id);
    const part = (await client.asset(kelp)).parts[1];
    expect(part.sculptHash).toMatch(/^[0-9a-f]{64}$/);
    const rms = async (): Promise<number> => (await seen(part.id, kelp)).levelList.at(-1)?.transfer?.rms ?? NaN;
    const first = await rms();
    // pushed off the sculpt, then dragged back
    await edit({ op: 'brush', strokes: [{ tool: 'push', radius: 60, strength: 1, points: [10], group: null }] }, part.id);
    expect(await rms()).toBeGreaterThan(1.2 * first);
    await edit(
      { op: 'brush', strokes: [{ tool: 'drag', radius: 80, strength: 1, points: Array<number>(4).fill(10), group: null }] },
      part.id,
    );
    expect(await rms()).toBeLessThan(1.2 * first);
    await edit({ op: 'project', reach: null }, part.id);
    expect(await faces(part.id, kelp)).toEqual([1536, 6144, 24576]);
    expect(await rms()).toBeLessThan(0.5 * first);
  });

  it('are built on a mesh that stands alone', async () => {
    const alone = String((await client.bringIn('Alone', { 'dense.obj': writeObj(refineLevels(kelpHoldfastBase(), 1).mesh) })).assetId);
    const { part } = await client.asset(alone);
    await edit({ op: 'add' }, part.id);
    await edit({ op: 'recover', levels: 1 }, part.id);
    expect(await faces(part.id, alone)).toEqual([1536, 6144, 24576]);
    expect((await seen(part.id, alone)).stackKind).toBe('stack');
    for (const end of ['top', 'top'] as const) await edit({ op: 'drop', end }, part.id);
    expect((await seen(part.id, alone)).stackKind).toBe('alone');
    expect((await client.json(`/parts/${part.id}/levels`, 'POST', { op: 'drop', end: 'top' })).status).toBe(409);
  });
});
