import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { AssetDetail, AssetSummary, EncodingSettings, JobInfo, Manifest, MeasureRequest, ProofOutcome } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { writeObj } from '@estampe/core';
import { harbourBell } from '@estampe/demo';
import { Client } from 'pg';
import type { RunningServer } from '../src/server';
import { freshDatabase, plate, startTestServer, TestClient } from './harness';
import { unzipTo } from '../../../packages/delivery/test/unzip';

jest.setTimeout(300_000);

const bell = harbourBell(2).map((mesh) => writeObj(mesh));
const [plateLow, plateTop] = plate();
const settings: MeasureRequest = { ...MEASURE_DEFAULTS, toLevel: 2, size: 256 };
const encoding: EncodingSettings = {
  depth: '16', midpoint: 32768 / 65535, scale: 25, fit: 'by hand', fileType: 'tif', green: 'up', keepBlue: true,
  axes: '',
  each: null,
}; // prettier-ignore

/** Runs the command line. Not at a stretch: server and test share this process, and a blocked one loses its connections. */
async function estampe(cwd: string, ...args: string[]): Promise<void> {
  const child = spawn(process.execPath, [join(__dirname, '../../cli/bin/estampe.mjs'), ...args], { cwd, stdio: 'ignore' });
  await once(child, 'exit');
}

function scalarReport(outcome: ProofOutcome) {
  if (outcome.kind !== 'scalar') throw new Error('not a proof of heights');
  return outcome.report;
}

/** Two meshes of another scale, with n-gons and an open border, that are not in the demo: a dented tray. */
function tray(n: number, dent: number): Uint8Array {
  const lines: string[] = [];
  for (let j = 0; j <= n; j++)
    for (let i = 0; i <= n; i++) {
      const [x, y] = [i / n, j / n];
      lines.push(
        `v ${300 * x} ${40 * Math.sin(2 * x) + dent * Math.exp(-30 * ((x - 0.5) ** 2 + (y - 0.4) ** 2))} ${200 * y}`,
        `vt ${0.05 + 0.9 * x} ${0.05 + 0.9 * y}`,
      );
    }
  const at = (i: number, j: number): string => `${j * (n + 1) + i + 1}/${j * (n + 1) + i + 1}`;
  for (let j = 0; j < n; j++) {
    // the first two quads of a row are one hexagon
    lines.push(`f ${at(0, j)} ${at(0, j + 1)} ${at(1, j + 1)} ${at(2, j + 1)} ${at(2, j)} ${at(1, j)}`);
    for (let i = 2; i < n; i++) lines.push(`f ${at(i, j)} ${at(i, j + 1)} ${at(i + 1, j + 1)} ${at(i + 1, j)}`);
  }
  return new TextEncoder().encode(`${lines.join('\n')}\n`);
}

describe('the application without its screen', () => {
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

  it('fills missing rungs, extracts, proves the written file and hands it out', async () => {
    const job = await client.bringIn('Bell', { 'top.obj': bell[2], 'low.obj': bell[0] });
    const asset = await client.asset(job.assetId);
    expect([asset.stackKind, asset.levels, asset.findings.map((f) => f.code)]).toEqual(['stack', 3, ['base-unsettled']]);
    expect(asset.levelList[2].detail).toBeGreaterThan(0);
    const extracted = await client.ended((await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', settings)).body.id);
    expect(extracted).toMatchObject({ state: 'done', error: null });
    const proved = await client.ended(
      (await client.json<JobInfo>(`/spans/${extracted.spanId}/proofs`, 'POST', { encoding, subdivisions: 2, tolerance: 5 })).body.id,
    );
    expect(proved.state).toBe('done');
    const [span] = (await client.asset(asset.id)).spans;
    expect(span.fields[0]).toMatchObject({ tile: 1001, match: 'stack', missed: 0 });
    expect(span).toMatchObject({ encoding, encodingVersion: 1 });
    const [proof] = span.proofs;
    const report = scalarReport(proof.outcome);
    expect(report).toMatchObject({ passed: true, foldShare: 0, clippedShare: 0 });
    expect(report.distance.rms).toBeLessThan(0.5 * report.undisplaced.rms);
    expect(proof.worst[0].error ** 2).toBeCloseTo(report.distance.max ** 2, 3);
    expect(proof.maps[0].name).toBe('bell_scalar_L0-L2_16i.tif');
    const file = await fetch(`${server.url}/api/maps/${proof.maps[0].id}/file`);
    expect(file.headers.get('content-disposition')).toContain('bell_scalar_L0-L2_16i.tif');
    expect((await file.arrayBuffer()).byteLength).toBe(proof.maps[0].bytes);
  });

  it('measures vectors and values of the surface in one pass, proves what moves, reads back what does not, studies and delivers all', async () => {
    const { assetId } = await client.bringIn('Plate in all kinds', { 'low.obj': plateLow, 'top.obj': plateTop });
    const kinds = ['vector', 'occlusion', 'curvature'] as const;
    const measure: MeasureRequest = { ...settings, kinds: [...kinds], size: 128, occlusionRays: 16, seed: 3, forHeights: false };
    const job = await client.ended((await client.json<JobInfo>(`/assets/${assetId}/spans`, 'POST', measure)).body.id);
    expect(job).toMatchObject({ state: 'done', title: 'Extract Plate in all kinds, levels 0 to 2, vectors, occlusion and curvature' });
    const { spans } = await client.asset(assetId);
    expect(spans.map((s) => s.fields[0].missed)).toEqual([0, 0, 0]);
    const [{ id: vectorSpan }, { id: openSpan }, { id: curveSpan }] = spans;

    const axes = 'R=+U G=+N B=-V';
    const wrong = await client.json<{ message: string }>(`/spans/${vectorSpan}/encoding`, 'PUT', { encoding: { ...encoding, axes: 'R=+X G=+Y B=+Z' }, basedOn: 0 }); // prettier-ignore
    expect([wrong.status, wrong.body.message]).toEqual([400, expect.stringMatching(/components are U, V, N, not X/)]);
    const foreign = await client.json<{ message: string }>(`/spans/${openSpan}/encoding`, 'PUT', {
      encoding: { ...encoding, axes },
      basedOn: 0,
    });
    expect(foreign.status).toBe(400);

    const prove = async (spanId: string, e: EncodingSettings, tolerance: number | null) =>
      client.ended((await client.json<JobInfo>(`/spans/${spanId}/proofs`, 'POST', { encoding: e, subdivisions: 2, tolerance })).body.id);
    expect(await prove(vectorSpan, { ...encoding, axes }, 5)).toMatchObject({ state: 'done', error: null });
    await prove(openSpan, { ...encoding, midpoint: 0, scale: 1, depth: '8', fileType: 'png' }, null);
    await prove(curveSpan, { ...encoding, midpoint: 0, scale: 1, depth: 'float', fileType: 'exr' }, null);
    const [vector, open, curve] = (await client.asset(assetId)).spans.map((s) => s.proofs[0]);
    if (vector.outcome.kind !== 'vector' || open.outcome.kind !== 'values' || curve.outcome.kind !== 'values')
      throw new Error('another kind');
    const { report } = vector.outcome;
    expect(report).toMatchObject({ passed: true, foldShare: 0, missedShare: 0 });
    expect(report.distance.rms).toBeLessThan(0.5 * report.undisplaced.rms);
    expect(open.outcome.report.difference?.max).toBeLessThan(0.5001 / 255);
    expect(curve.outcome.report.difference?.max).toBe(0);
    expect(vector.maps[0].name).toBe('plate-in-all-kinds_vector_L0-L2_16i.tif');

    const study = await client.ended((await client.json<JobInfo>(`/proofs/${vector.id}/study`, 'POST')).body.id);
    expect(study).toMatchObject({ state: 'done', error: null });
    const parts = (await client.asset(assetId)).spans[0].proofs[0].study?.parts;
    // same-stack vectors need no search: what is lost is lost in the grid
    expect(parts?.search ?? 1).toBeLessThan(0.3 * (parts?.sampling ?? 0));
    expect((await client.json(`/proofs/${open.id}/study`, 'POST')).status).toBe(400);

    const proofIds = [vector.id, open.id, curve.id];
    const delivered = await client.ended(
      (await client.json<JobInfo>(`/assets/${assetId}/deliveries`, 'POST', { proofIds, withSculpt: false })).body.id,
    );
    expect(delivered.state).toBe('done');
    const [delivery] = (await client.asset(assetId)).deliveries;
    const { body: manifest } = await client.json<Manifest>(`/deliveries/${delivery.id}/manifest`);
    expect(manifest.maps.map((m) => [m.kind, m.space, m.axes, m.rays])).toEqual([
      ['vector', 'derivative', axes, null],
      ['occlusion', 'none', null, 16],
      ['curvature', 'none', null, null],
    ]);
    expect(manifest.maps[0].bound).toBeGreaterThan(0.9 * report.undisplaced.max);
  });

  it('measures two maps in one pass, proves both and delivers them: what is in the zip is what was proven', async () => {
    const { assetId } = await client.bringIn('Plate for two', { 'low.obj': plateLow, 'top.obj': plateTop });
    const measure = { ...settings, kinds: ['scalar', 'normal'], matchSeams: true };
    const job = await client.ended((await client.json<JobInfo>(`/assets/${assetId}/spans`, 'POST', measure)).body.id);
    expect(job).toMatchObject({ state: 'done', title: 'Extract Plate for two, levels 0 to 2, heights and normals' });
    const { spans } = await client.asset(assetId);
    expect(spans.map((s) => [s.settings.kind, s.settings.matchSeams, s.fields[0].rays])).toEqual([
      ['scalar', true, spans[0].fields[0].rays],
      ['normal', true, spans[0].fields[0].rays], // the same rays: one pass
    ]);
    for (const span of spans) {
      const { before, after } = span.fields[0].fit ?? { before: 0, after: 0 };
      expect(before).toBeGreaterThan(0);
      expect(after).toBeLessThan((span.settings.kind === 'scalar' ? 0.3 : 0.5) * before);
    }
    const normals: EncodingSettings = { ...encoding, midpoint: 0.5, scale: 2, depth: '8', fileType: 'png' };
    const prove = async (i: number, e: EncodingSettings, tolerance: number) =>
      client.ended(
        (await client.json<JobInfo>(`/spans/${spans[i].id}/proofs`, 'POST', { encoding: e, subdivisions: 2, tolerance })).body.id,
      );
    await prove(0, encoding, 5);
    await prove(1, normals, 10);
    const proofs = (await client.asset(assetId)).spans.map((s) => s.proofs[0]);
    expect(proofs.map((p) => [p.outcome.kind, p.outcome.report.passed])).toEqual([
      ['scalar', true],
      ['normal', true],
    ]);
    const deliver = { proofIds: proofs.map((p) => p.id), withSculpt: true };
    const first = await client.ended((await client.json<JobInfo>(`/assets/${assetId}/deliveries`, 'POST', deliver)).body.id);
    expect(first).toMatchObject({ state: 'done', error: null });
    await client.ended((await client.json<JobInfo>(`/assets/${assetId}/deliveries`, 'POST', deliver)).body.id);
    const { deliveries } = await client.asset(assetId);
    expect(deliveries.map((d) => d.name)).toEqual(['plate-for-two_v002', 'plate-for-two_v001']);
    const { body: manifest } = await client.json<Manifest>(`/deliveries/${deliveries[1].id}/manifest`);
    expect(manifest.maps.map((m) => m.proof)).toEqual(proofs.map((p) => p.outcome));
    const sheet = await (await fetch(`${server.url}/api/deliveries/${deliveries[1].id}/sheet`)).text();
    expect(sheet).toContain('plate-for-two_scalar_L0-L2_16i.tif');

    // from its zip alone, by the command line: the same figures
    const dir = mkdtempSync(join(tmpdir(), 'estampe-zip-'));
    const zip = Buffer.from(await (await fetch(`${server.url}/api/deliveries/${deliveries[1].id}/zip`)).arrayBuffer());
    for (const [path, bytes] of await unzipTo(dir, zip)) {
      const known = [manifest.low, manifest.sculpt.file, ...manifest.maps.flatMap((m) => m.files)].find(
        (f) => f && path.endsWith(`/${f.file}`),
      );
      if (known) expect(createHash('sha256').update(bytes).digest('hex')).toBe(known.sha256);
    }
    const folder = join(dir, 'plate-for-two_v001');
    for (const [i, { kind, report }] of proofs.map((p) => p.outcome).entries()) {
      const args = ['--low', manifest.low.file, '--sculpt', manifest.sculpt.file?.file ?? '', '--map', manifest.maps[i].files[0].file];
      const more = kind === 'scalar' ? ['--subdivisions', '2', '--tolerance', '5'] : ['--tolerance', '10'];
      await estampe(folder, 'proof', ...args, ...more, '--json', 'r.json');
      const again = JSON.parse(readFileSync(join(folder, 'r.json'), 'utf8')) as Record<string, unknown>;
      // what is left out has another name there, or needs the field
      for (const [key, value] of Object.entries(report)) if (key !== 'bareAngle' && key !== 'unencoded') expect(again[key]).toEqual(value);
    }
    rmSync(dir, { recursive: true });
  });

  it('looks closer at a proof: error by cause and over subdivisions', async () => {
    const asset = (await client.json<AssetSummary[]>('/assets')).body.find((a) => a.name === 'Bell');
    const { spans } = await client.asset(asset?.id ?? null);
    await client.ended((await client.json<JobInfo>(`/proofs/${spans[0].proofs[0].id}/study`, 'POST')).body.id);
    const proof = (await client.asset(asset?.id ?? null)).spans[0].proofs[0];
    const { study } = proof;
    if (study === null) throw new Error('no study');
    expect(study.parts.subdivision).toBeLessThan(1e-4); // as many subdivisions as the sculpt has
    const parts = Object.values(study.parts).map((x) => x ?? 0);
    expect(Math.hypot(...parts)).toBeGreaterThan(0.99 * scalarReport(proof.outcome).distance.rms);
    expect(study.sweep.map((p) => p.subdivisions)).toEqual([0, 1, 2, 3]); // one beyond what is enough
    expect(study.sweep[2].rms).toBeCloseTo(scalarReport(proof.outcome).distance.rms, 5);
    // as many as the sculpt has looked like enough until one more was tried
    expect(study.knee).toBe(3);
    expect(study.sweep[3].rms).toBeLessThan(study.sweep[2].rms / 1.1);
  });

  it('tells the second of two tabs that an encoding has changed, and loses neither', async () => {
    const [asset] = (await client.json<AssetSummary[]>('/assets')).body.filter((a) => a.name === 'Bell');
    const { id } = (await client.asset(asset.id)).spans[0];
    const save = (scale: number, basedOn: number) =>
      client.json<{ version?: number; code?: string }>(`/spans/${id}/encoding`, 'PUT', { encoding: { ...encoding, scale }, basedOn });
    // the first is that of its proof
    expect(await save(30, 1)).toEqual({ status: 200, body: { version: 2 } });
    expect(await save(31, 2)).toEqual({ status: 200, body: { version: 3 } });
    expect(await save(32, 2)).toMatchObject({ status: 409, body: { code: 'CONFLICT' } });
    expect((await client.asset(asset.id)).spans[0]).toMatchObject({ encoding: { scale: 31 }, encodingVersion: 3 });
    expect(await save(31, 2)).toEqual({ status: 200, body: { version: 3 } }); // the same settings are no conflict
    expect(await save(32, 3)).toEqual({ status: 200, body: { version: 4 } });
  });

  it('takes the light mesh in again: says which points moved, marks what is out of date, refuses other meshes', async () => {
    const [asset] = (await client.json<AssetSummary[]>('/assets')).body.filter((a) => a.name === 'Bell');
    const again = async (bytes: Uint8Array): Promise<{ job: JobInfo; asset: AssetDetail }> => {
      const { body } = await client.upload('again.obj', bytes);
      const posted = await client.json<JobInfo>(`/assets/${asset.id}/low`, 'POST', { hash: body.hash, name: body.name });
      const job = await client.ended(posted.body.id);
      return { job, asset: await client.asset(asset.id) };
    };
    const other = await again(bell[1]);
    expect(other.job).toMatchObject({ state: 'failed', error: expect.stringMatching(/^again\.obj: .*5120 faces/) as string });
    expect(other.asset.spans[0].outOfDate).toBe(false);
    const low = harbourBell(1)[0];
    const positions = low.positions.slice();
    positions[0] += 3;
    positions[30] -= 1;
    const moved = await again(writeObj({ ...low, positions }));
    expect(moved.asset.findings[0]).toMatchObject({
      code: 'points-moved',
      count: 2,
      message: expect.stringContaining('up to 3 mm') as string,
    });
    expect(moved.asset.findings[0].faces.length).toBeGreaterThan(3);
    expect(moved.asset.spans.every((s) => s.outOfDate)).toBe(true);
    const proofIds = [moved.asset.spans[0].proofs[0].id];
    expect(await client.json(`/assets/${asset.id}/deliveries`, 'POST', { proofIds, withSculpt: false })).toMatchObject({ status: 409 });
  });

  it('takes a light mesh without UVs, unwraps it, measures from it and from the level above, and goes back and forth', async () => {
    const bare = (level: number) => writeObj({ ...harbourBell(2)[level], uvs: null, faceUvs: null });
    const { assetId } = await client.bringIn('Bare bell', { 'low.obj': bare(0), 'top.obj': bare(2) });
    const before = await client.asset(assetId);
    expect([before.tiles, before.parts[0].uv, before.findings.map((f) => f.code)]).toEqual([
      [],
      null,
      expect.arrayContaining(['no-uvs', 'base-unsettled']),
    ]);
    const measure = async (fromLevel: number) => client.json<JobInfo & { message: string }>(`/assets/${assetId}/spans`, 'POST', { ...settings, kinds: ['scalar'], fromLevel, toLevel: 2, size: 256 }); // prettier-ignore
    expect(await measure(0)).toMatchObject({ body: { message: expect.stringContaining('unwrap it in the step Sheet') as string } });
    const job = await client.ended((await client.json<JobInfo>(`/assets/${assetId}/uvs`, 'POST', { seams: 'auto' })).body.id);
    expect(job).toMatchObject({ state: 'done', partId: before.part.id });
    const unwrapped = await client.asset(assetId);
    expect(unwrapped.tiles).toEqual([1001]);
    // its points are where they were, and so is what was said of them and the sculpt
    expect(unwrapped.findings.filter((f) => f.code === 'base-unsettled')).toEqual(
      before.findings.filter((f) => f.code === 'base-unsettled'),
    );
    expect(unwrapped.parts[0]).toMatchObject({ statePlace: 1, states: [{ place: 0, title: 'brought in' }, { place: 1, title: 'unwrapped' }] }); // prettier-ignore
    expect(unwrapped.parts[0].uv).toMatchObject({ overlap: 0, stretch: { rms: expect.closeTo(1.1, 1) as number } });
    for (const from of [0, 1]) expect((await client.ended((await measure(from)).body.id)).state).toBe('done');
    // the level above was given the same islands: it covers as many texels
    const [lower, upper] = (await client.asset(assetId)).spans.map((s) => s.fields[0].covered);
    expect(Math.abs(upper / lower - 1)).toBeLessThan(0.01);
    const go = async (place: number): Promise<AssetDetail> => {
      await client.json(`/parts/${before.part.id}/state`, 'PUT', { place });
      return client.asset(assetId);
    };
    const back = await go(0);
    expect([back.tiles, back.levelList.map((l) => l.meshId)]).toEqual([[], before.levelList.map((l) => l.meshId)]);
    expect(back.spans.every((s) => s.outOfDate)).toBe(true);
    const forth = await go(1);
    expect([forth.tiles, forth.spans.every((s) => !s.outOfDate)]).toEqual([[1001], true]);
    expect((await client.json(`/parts/${before.part.id}/state`, 'PUT', { place: 7 })).status).toBe(404);
  });

  it('mends the light mesh of a free sculpt, gives the state before back, and leaves stacks alone', async () => {
    // the last quad of the plate stands apart: its points lie on those of its neighbours
    const text = new TextDecoder().decode(tray(4, 0)).trimEnd().split('\n');
    const corners = (text.pop() as string).slice(2).split(' ').map((c) => c.split('/')[0]); // prettier-ignore
    const points = text.filter((line) => line.startsWith('v '));
    const apart = [...text, ...corners.map((c) => points[Number(c) - 1]), `f ${corners.map((c, k) => `-${4 - k}/${c}`).join(' ')}`].join(
      '\n',
    );
    const { assetId } = await client.bringIn('Apart', { 'low.obj': new TextEncoder().encode(`${apart}\n`), 'sculpt.obj': tray(37, 12) });
    const before = await client.asset(assetId);
    expect([before.stackKind, before.findings.map((f) => f.code)]).toEqual([
      'free',
      expect.arrayContaining(['doubled-points', 'loose-pieces']),
    ]);
    const mend = async (body: object, id = assetId) => client.json<JobInfo & { code: string }>(`/assets/${id}/mends`, 'POST', body);
    expect((await client.ended((await mend({ mend: 'weld' })).body.id)).state).toBe('done');
    const welded = await client.asset(assetId);
    expect(welded.findings.map((f) => f.code)).not.toContain('doubled-points');
    // the corner of the tray belonged to that quad alone: its point is left behind
    expect([welded.levelList[0].points, welded.levelList[0].faces]).toEqual([before.levelList[0].points - 4, before.levelList[0].faces]);
    expect(welded.parts[0].states.map((s) => s.title)).toEqual(['brought in', '3 points welded']);
    expect(await client.ended((await mend({ mend: 'weld' })).body.id)).toMatchObject({ state: 'failed', error: expect.stringContaining('nothing to mend') as string }); // prettier-ignore
    await client.json(`/parts/${before.part.id}/state`, 'PUT', { place: 0 });
    expect((await client.asset(assetId)).levelList[0].meshId).toBe(before.levelList[0].meshId);
    for (const body of [
      { mend: 'weld', amount: -1 },
      { mend: 'turn-flipped', amount: 1 },
      { mend: 'drop-pieces', amount: 2 },
      { mend: 'polish' },
    ])
      expect((await mend(body)).status).toBe(400);
    const stack = (await client.bringIn('Stack', { 'low.obj': bell[0], 'top.obj': bell[2] })).assetId as string;
    expect(await mend({ mend: 'weld' }, stack)).toMatchObject({ status: 409, body: { code: 'CONFLICT' } });
    const { part } = await client.asset(stack);
    const image = await fetch(`${client.base}/api/parts/${part.id}/layout?tile=1001&size=256`);
    expect([image.status, image.headers.get('content-type'), image.headers.get('content-disposition')]).toEqual([200, 'image/png', 'attachment; filename=stack-layout-1001.png']); // prettier-ignore
    expect((await fetch(`${client.base}/api/parts/${part.id}/layout?tile=1005`)).status).toBe(404);
  });

  it('gives the same figures by upload and by command line', async () => {
    const low = tray(4, 0);
    const sculpt = tray(37, 12);
    const asset = await client.asset((await client.bringIn('Tray', { 'tray low.obj': low, 'tray.obj': sculpt })).assetId);
    expect(asset.stackKind).toBe('free');
    expect(asset.findings.map((f) => f.code).sort()).toEqual(['holes', 'ngons', 'uv-mirrored', 'uv-stretched']);
    const { spanId } = await client.ended(
      (await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', { ...settings, toLevel: 1 })).body.id,
    );
    await client.ended(
      (await client.json<JobInfo>(`/spans/${spanId}/proofs`, 'POST', { encoding, subdivisions: 4, tolerance: null })).body.id,
    );
    const [span] = (await client.asset(asset.id)).spans;
    const dir = mkdtempSync(join(tmpdir(), 'estampe-tray-'));
    writeFileSync(join(dir, 'low.obj'), low);
    writeFileSync(join(dir, 'sculpt.obj'), sculpt);
    const run = async (...args: string[]): Promise<Record<string, unknown>> => {
      await estampe(dir, ...args, '--json', 'report.json');
      return JSON.parse(readFileSync(join(dir, 'report.json'), 'utf8')) as Record<string, unknown>;
    };
    const extract = await run('extract', '--low', 'low.obj', '--sculpt', 'sculpt.obj', '--map', 'scalar', '--size', '256', '-o', 'f.exr');
    const { covered, missed, doubtful, min, max, reach } = span.fields[0];
    expect(extract).toMatchObject({ covered, missed, doubtful, min, max, reach });
    await run('encode', 'f.exr', '-o', 'm.tif', '--midpoint', String(encoding.midpoint), '--scale', '25');
    const report = await run(
      'proof',
      '--low',
      'low.obj',
      '--map',
      'm.tif',
      '--sculpt',
      'sculpt.obj',
      '--field',
      'f.exr',
      '--subdivisions',
      '4',
    );
    const proven = scalarReport(span.proofs[0].outcome);
    expect(report).toMatchObject({ ...proven, worst: span.proofs[0].worst });
    expect(proven.distance.rms).toBeLessThan(0.2 * proven.undisplaced.rms);
    rmSync(dir, { recursive: true });
  });

  it('refuses bad requests in one sentence and leaves nothing behind', async () => {
    expect(await client.upload('void.obj', new Uint8Array(0))).toMatchObject({
      status: 400,
      body: { code: 'EMPTY_FILE', message: expect.stringContaining('void.obj') as string },
    });
    const before = (await client.json<AssetSummary[]>('/assets')).body.length;
    const broken = await client.bringIn('Broken', {
      '../../low.obj': bell[0],
      'sculpt.obj': new TextEncoder().encode('v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 7\n'),
    });
    expect(broken).toMatchObject({ state: 'failed', assetId: null, error: expect.stringMatching(/^sculpt\.obj:4: .*point 7/) as string });
    expect((await client.json<AssetSummary[]>('/assets')).body).toHaveLength(before);

    const [asset] = (await client.json<AssetSummary[]>('/assets')).body;
    const span = (change: Partial<MeasureRequest>) =>
      client.json<{ message: string }>(`/assets/${asset.id}/spans`, 'POST', { ...settings, ...change });
    expect(await span({ toLevel: 0, fromLevel: 0 })).toMatchObject({ status: 400 });
    expect(await span({ fromLevel: 1, toLevel: 1 })).toMatchObject({
      status: 400,
      body: { message: expect.stringContaining('same level') as string },
    });
    // what one mesh has is measured all the same
    const own = await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', {
      ...settings,
      fromLevel: 1,
      toLevel: 1,
      kinds: ['curvature'],
    });
    expect(own.status).toBe(202);
    expect(await client.ended(own.body.id)).toMatchObject({ state: 'done' });
    expect((await span({ size: 1e9 })).status).toBe(400);
    expect((await client.json('/assets/not-an-id')).status).toBe(400);
    expect((await client.json('/assets/00000000-0000-4000-8000-000000000000')).status).toBe(404);
    expect((await client.json('/assets', 'POST', { name: 'x', unit: 'mm', files: [], more: 1 })).status).toBe(400);
    expect((await fetch(`${server.url}/api/assets`, { headers: { origin: 'http://elsewhere.example' } })).status).toBe(400);
    expect((await fetch(`${server.url}/api/uploads?name=x.obj`, { method: 'PUT', body: bell[0] as Uint8Array<ArrayBuffer> })).status).toBe(
      201,
    );
    const announced = await new Promise<number | undefined>((resolve) => {
      const r = request(`${server.url}/api/uploads?name=x.obj`, { method: 'PUT', headers: { 'content-length': 9e12 } }, (answer) =>
        resolve(answer.statusCode),
      );
      r.on('error', () => resolve(undefined));
      r.write('v');
    });
    expect(announced).toBe(413);
  });

  it('stores equal data once, in chunks of 1 MiB, and forgets a broken-off upload', async () => {
    const big = Buffer.alloc(2_500_000, 'v 1 2 3\n');
    const [a, b] = await Promise.all([client.upload('a.obj', big), client.upload('b.obj', big)]);
    expect(a.body.hash).toBe(b.body.hash);
    await new Promise<void>((resolve) => {
      const r = request(`${server.url}/api/uploads?name=half.obj`, { method: 'PUT', headers: { 'content-length': 5_000_000 } });
      r.on('error', () => resolve());
      r.write(Buffer.alloc(1_500_000), () => setTimeout(() => r.destroy(), 200));
    });
    const pg = new Client({ connectionString: database.url });
    await pg.connect();
    await new Promise((resolve) => setTimeout(resolve, 500));
    const { rows } = await pg.query<{ n: number; longest: number }>(
      `select count(*)::int n, max(length(data))::int longest from blob_chunk c join blob b on b.id = c.blob_id where b.hash = $1`,
      [a.body.hash],
    );
    expect(rows[0]).toEqual({ n: 3, longest: 1024 * 1024 });
    expect((await pg.query('select 1 from blob where hash is null')).rowCount).toBe(0);
    await pg.end();
  });

  it('cancels within a second and can do the work afterwards', async () => {
    const [asset] = (await client.json<AssetSummary[]>('/assets')).body;
    const { body } = await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', { ...settings, toLevel: 1, size: 4096, samples: 4 });
    while ((await client.job(body.id)).state !== 'running') await new Promise((resolve) => setTimeout(resolve, 50));
    await new Promise((resolve) => setTimeout(resolve, 700));
    const asked = Date.now();
    await client.json(`/jobs/${body.id}/cancel`, 'POST', {});
    const next = await client.ended(
      (await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', { ...settings, toLevel: 1, size: 64 })).body.id,
    );
    expect(next.state).toBe('done');
    expect(Date.parse(next.startedAt ?? '') - asked).toBeLessThan(2000);
    expect((await client.job(body.id)).state).toBe('cancelled');
  });
});

it('brings the demo in by itself, levels recognised by their connectivity', async () => {
  const database = await freshDatabase();
  const server = await startTestServer(database.url, { demo: 1 });
  const client = new TestClient(server.url);
  await client.ended(await client.firstJob());
  const [demo] = (await client.json<AssetSummary[]>('/assets')).body;
  expect(demo).toMatchObject({ name: 'Harbour bell', production: 'Tidewrack', levels: 2, lowFaces: 1280, topFaces: 5120, unit: 'mm' });
  const picture = await fetch(`${server.url}/api/pictures/${demo.pictureHash}`);
  expect(
    Buffer.from(await picture.arrayBuffer())
      .subarray(1, 4)
      .toString(),
  ).toBe('PNG');
  await server.stop();
  await database.drop();
});

it('runs a job again after the server was killed in the middle of it', async () => {
  const database = await freshDatabase();
  const start = async (): Promise<{ client: TestClient; kill(): Promise<void> }> => {
    const child = spawn(process.execPath, [join(__dirname, '../dist/main.js')], {
      env: { ...process.env, DATABASE_URL: database.url, PORT: '0', DEMO_TOP_LEVEL: '0', LOG_LEVEL: 'silent' },
    });
    const url = await new Promise<string>((resolve) =>
      child.stdout.on('data', (d: Buffer) => /http:\S+/.exec(String(d))?.forEach((u) => resolve(u))),
    );
    return {
      client: new TestClient(url),
      kill: () => new Promise((resolve) => child.once('exit', () => resolve()) && child.kill('SIGKILL')),
    };
  };
  const first = await start();
  const { assetId } = await first.client.bringIn('Bell', { 'low.obj': bell[0], 'top.obj': bell[2] });
  const { body } = await first.client.json<JobInfo>(`/assets/${assetId}/spans`, 'POST', { ...settings, size: 1024 });
  while ((await first.client.job(body.id)).state !== 'running') await new Promise((resolve) => setTimeout(resolve, 50));
  await first.kill();
  const second = await start();
  const job = await second.client.ended(body.id, 90_000);
  expect(job.state).toBe('done');
  const { spans } = await second.client.asset(assetId);
  expect(spans[0].fields).toHaveLength(1);
  await second.kill();
  await database.drop();
});
