import type { AssetDetail, JobInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { DEFAULT_SECTION, faceGroups, groupRuns, pointCount, readObj, refineLevels, regrouped, unpackMesh, writeObj } from '@estampe/core';
import { kelpHoldfast } from '@estampe/demo';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

const [low, top] = plate();
const light = readObj(low).mesh;
/** The left third of the plate, and what is below its middle. */
const groups = (() => {
  const marked = (faces: (f: number) => boolean) => Uint8Array.from({ length: 108 }, (_, f) => Number(faces(f)));
  const first = regrouped(faceGroups(light), marked((f) => f % 12 < 4), 'rim'); // prettier-ignore
  const { names, runs } = groupRuns(regrouped(first, marked((f) => f % 12 >= 4 && f < 60), 'foot')); // prettier-ignore
  return { names: [...names], runs: [...runs] };
})();

describe('groups of a light mesh', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  let asset: AssetDetail;
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
    const { assetId } = await client.bringIn('Plate', { 'low.obj': low, 'top.obj': top });
    asset = await client.asset(assetId);
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });
  const put = (partId: string, body: object) => client.json<{ message: string } | null>(`/parts/${partId}/groups`, 'PUT', body);
  const meshOf = async (meshId: string) =>
    unpackMesh(new Uint8Array(await (await fetch(`${server.url}/api/meshes/${meshId}/data`)).arrayBuffer()));

  it('are kept as a state that is undone, leave maps current, and are refused where they are not for this mesh', async () => {
    const measured = await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', { ...MEASURE_DEFAULTS, size: 64, toLevel: 2 });
    expect(await client.ended(measured.body.id)).toMatchObject({ state: 'done' });
    expect((await put(asset.part.id, { title: '36 faces into group rim', groups })).status).toBe(204);
    const now = await client.asset(asset.id);
    expect(now.parts[0]).toMatchObject({ groups, statePlace: 1, states: [{ title: 'brought in' }, { title: '36 faces into group rim' }] });
    expect(now.spans.map((span) => span.outOfDate)).toEqual([false]);
    await client.json(`/parts/${asset.part.id}/state`, 'PUT', { place: 0 });
    expect((await client.asset(asset.id)).parts[0].groups).toBeNull();
    await client.json(`/parts/${asset.part.id}/state`, 'PUT', { place: 1 });
    for (const wrong of [
      { names: ['a'], runs: [107, 0] },
      { names: ['a'], runs: [108, 1] },
      { names: ['a', 'a'], runs: [108, 0] },
      { names: ['a'], runs: [-1, 0] },
    ])
      // prettier-ignore
      expect((await put(asset.part.id, { title: 'x', groups: wrong })).status).toBe(400);
  });

  it('part the islands of an unwrap, and go with the light mesh when it is brought in again', async () => {
    const { body } = await client.json<JobInfo>(`/assets/${asset.id}/uvs`, 'POST', { seams: 'groups' });
    expect(await client.ended(body.id)).toMatchObject({ state: 'done' });
    const unwrapped = await client.asset(asset.id);
    expect(unwrapped.uv?.islands).toBe(3);
    const held = faceGroups(await meshOf(unwrapped.levelList[0].meshId));
    expect(groupRuns(held)).toEqual(groups);
    const { body: again } = await client.upload('again.obj', low);
    const job = await client.json<JobInfo>(`/assets/${asset.id}/low`, 'POST', { hash: again.hash, name: again.name });
    expect(await client.ended(job.body.id)).toMatchObject({ state: 'done' });
    const after = await client.asset(asset.id);
    expect(groupRuns(faceGroups(await meshOf(after.levelList[0].meshId)))).toEqual(groups);
  });

  it('stay while islands are placed anew, and seams are picked', async () => {
    const before = await client.asset(asset.id);
    const turned = await client.json<JobInfo>(`/parts/${asset.part.id}/islands`, 'POST', { op: 'turn', faces: [0], quarters: 1 });
    expect(await client.ended(turned.body.id)).toMatchObject({ state: 'done', partId: asset.part.id });
    const after = await client.asset(asset.id);
    expect(after.parts[0].states.at(-1)?.title).toBe('an island turned');
    expect(after.uv?.stretch.rms).toBeCloseTo(before.uv?.stretch.rms ?? 0, 6);
    expect(after.levelList[1].meshId).not.toBe(before.levelList[1].meshId);
    const away = await client.json<JobInfo>(`/parts/${asset.part.id}/islands`, 'POST', { op: 'move', faces: [1e6], by: [1, 0] });
    expect((await client.ended(away.body.id)).error).toContain('There is no face 1000000; the mesh has 108.');
    // a cut across: the points of one row of edges
    const row = Array.from({ length: 12 }, (_, i) => [4 * 13 + i, 4 * 13 + i + 1]).flat();
    const cut = await client.json<JobInfo>(`/assets/${asset.id}/uvs`, 'POST', { seams: 'picked', edges: row });
    expect(await client.ended(cut.body.id)).toMatchObject({ state: 'done' });
    expect((await client.asset(asset.id)).uv?.islands).toBe(2);
    expect(groupRuns(faceGroups(await meshOf((await client.asset(asset.id)).levelList[0].meshId)))).toEqual(groups);
  });

  it('split a stack into parts whose levels are what stood over them, with the points of the borders in both', async () => {
    const { body } = await client.json<JobInfo>(`/parts/${asset.part.id}/split`, 'POST', {});
    expect(await client.ended(body.id)).toMatchObject({ state: 'done', partId: asset.part.id });
    const { parts } = await client.asset(asset.id);
    expect(parts.map(({ name, stackKind, levelList }) => [name, stackKind, ...levelList.map((l) => l.faces)])).toEqual([
      ['Plate', 'stack', 108, 432, 1728],
      ['rim', 'stack', 36, 144, 576],
      ['foot', 'stack', 40, 160, 640],
      ['rest', 'stack', 32, 128, 512],
    ]);
    const whole = readObj(top).mesh;
    const places = (positions: Float32Array): Set<string> => {
      const out = new Set<string>();
      for (let i = 0; i < positions.length; i += 3) out.add(positions.subarray(i, i + 3).join());
      return out;
    };
    const inWhole = places(whole.positions);
    const split = await Promise.all(parts.slice(1).map(({ levelList }) => meshOf(levelList[2].meshId)));
    for (const mesh of split) expect([...places(mesh.positions)].filter((place) => !inWhole.has(place))).toEqual([]);
    // the border from left to right has 17 points, that between the two others 33, and they meet in one
    const points = split.reduce((n, mesh) => n + pointCount(mesh), 0);
    expect(points).toBe(pointCount(refineLevels(light, 2).mesh) + 37 + 33);
    // each is a stack of its own: it can be measured
    const rim = parts[1];
    const measured = await client.json<JobInfo>(`/assets/${asset.id}/spans?part=${rim.id}`, 'POST', {
      ...MEASURE_DEFAULTS,
      size: 64,
      toLevel: 2,
    });
    expect(await client.ended(measured.body.id)).toMatchObject({ state: 'done' });
    // names that are taken get a number
    await client.ended((await client.json<JobInfo>(`/parts/${asset.part.id}/split`, 'POST', {})).body.id);
    expect((await client.asset(asset.id)).parts.slice(4).map(({ name }) => name)).toEqual(['rim 2', 'foot 2', 'rest 2']);
  });

  it('split a free sculpt by what is nearest, and say why where there is nothing to split', async () => {
    const [base, sculpt] = kelpHoldfast(2);
    const bare = { ...base, sections: [DEFAULT_SECTION], faceSections: new Uint16Array(base.faceSections.length) };
    const { assetId } = await client.bringIn('Kelp', { 'low.obj': writeObj(bare), 'strands.obj': writeObj(sculpt) });
    const kelp = await client.asset(assetId);
    const { body } = await client.json<JobInfo>(`/parts/${kelp.part.id}/split`, 'POST', {});
    expect((await client.ended(body.id)).error).toBe('All faces are in one group, so there is nothing to split; make groups first.');
    const half = { names: ['left', 'right'], runs: [700, 0, base.faceOffsets.length - 701, 1] };
    expect(await put(kelp.part.id, { title: 'halves', groups: half })).toEqual({ status: 204, body: null });
    const again = await client.json<JobInfo>(`/parts/${kelp.part.id}/split`, 'POST', {});
    expect(await client.ended(again.body.id)).toMatchObject({ error: null, state: 'done' });
    const [left, right] = (await client.asset(assetId)).parts.slice(-2);
    expect([left.levelList[0].faces, right.levelList[0].faces]).toEqual([700, base.faceOffsets.length - 701]);
    expect(left.levelList[1].faces + right.levelList[1].faces).toBe(sculpt.faceOffsets.length - 1);
  });
});
