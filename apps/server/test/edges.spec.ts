import { createServer, get } from 'node:http';
import type { ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Readable } from 'node:stream';
import { pathToFileURL } from 'node:url';
import { join } from 'node:path';
import type { AssetDetail, EncodingSettings, JobInfo, ServerEvent } from '@estampe/contracts';
import { MEASURE_DEFAULTS, openApi } from '@estampe/contracts';
import { CORE_MESH_CODECS, refineLevels, writeObj } from '@estampe/core';
import { harbourBell } from '@estampe/demo';
import { createSession } from 'better-sse';
import { Client } from 'pg';
import { pino } from 'pino';
import { connect } from '../src/db/connect';
import { migrate } from '../src/db/migrate';
import { Blobs } from '../src/repositories/blobs';
import type { RunningServer } from '../src/server';
import { startServer } from '../src/server';
import { Events } from '../src/services/events';
import type { Wire } from '../src/services/wire';
import { freshDatabase, startTestServer, TestClient } from './harness';

jest.setTimeout(300_000);

const bell = harbourBell(2).map((mesh) => writeObj(mesh));
const files = { 'low.obj': bell[0], 'top.obj': bell[2] };
const encoding: EncodingSettings = {
  depth: '16', midpoint: 0.5, scale: 25, fit: 'full', fileType: 'tif', green: 'up', keepBlue: true, axes: '', each: null,
}; // prettier-ignore

describe('the edges of the application', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  let asset: AssetDetail;
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url);
    client = new TestClient(server.url);
    const note = new TextEncoder().encode('l 1 2\n');
    const { assetId } = await client.bringIn('Bell', { 'low.obj': Buffer.concat([bell[0], note]), 'top.obj': bell[2] });
    asset = await client.asset(assetId);
    const { body } = await client.json<JobInfo>(`/assets/${asset.id}/spans`, 'POST', { ...MEASURE_DEFAULTS, size: 64, toLevel: 2 });
    await client.ended(body.id);
    asset = await client.asset(asset.id);
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });
  const prove = (change: Partial<EncodingSettings>, subdivisions = 2) =>
    client.json<JobInfo & { code: string; message: string }>(`/spans/${asset.spans[0].id}/proofs`, 'POST', { encoding: { ...encoding, ...change }, subdivisions, tolerance: null }); // prettier-ignore

  it('takes the set of UVs that is asked for, and names those that are there', async () => {
    const plate = (n: number, sets: string): Uint8Array => {
      const points = Array.from({ length: (n + 1) ** 2 }, (_, i) => `(${(i % (n + 1)) / n}, ${Math.floor(i / (n + 1)) / n}, 0)`);
      const faces = Array.from({ length: n * n }, (_, f) => {
        const v = f + Math.floor(f / n);
        return [v, v + 1, v + n + 2, v + n + 1];
      });
      return new TextEncoder().encode(`#usda 1.0\ndef Mesh "m" {\n int[] faceVertexCounts = [${faces.map(() => 4).join(', ')}]\n int[] faceVertexIndices = [${faces.flat().join(', ')}]\n point3f[] points = [${points.join(', ')}]\n${sets}}\n`); // prettier-ignore
    };
    const uvs = (name: string, u: number): string => ` texCoord2f[] primvars:${name} = [(${u}, 0.1), (${u + 0.4}, 0.1), (${u}, 0.5), (${u + 0.4}, 0.5)] ( interpolation = "vertex" )\n`; // prettier-ignore
    const two = { 'low.usda': plate(1, uvs('st', 0.1) + uvs('second', 1.2)), 'top.usda': plate(3, '') };
    const usual = await client.asset((await client.bringIn('Usual', two)).assetId);
    expect([usual.tiles, usual.findings.find((f) => f.code === 'passed-over')?.message]).toEqual([[1001], expect.stringMatching(/UV sets st, second; the usual one was taken/)]); // prettier-ignore
    const second = await client.asset((await client.bringIn('Second', two, null, 'second')).assetId);
    expect(second.tiles).toEqual([1002]);
    const third = await client.bringIn('Third', two, null, 'third');
    expect(third.state).toBe('failed');
    expect(third.error).toMatch(/no file has a set of UVs named third; there are st, second/);
  });

  it('brings in files of other formats, with creases that hold from level to level', async () => {
    const { usd, ply } = CORE_MESH_CODECS;
    const creases = { edges: Uint32Array.from([0, 1]), edgeSharpness: Float32Array.from([2.5]), points: Uint32Array.from([2]), pointSharpness: Float32Array.from([1]) }; // prettier-ignore
    const low = { ...harbourBell(0)[0], creases };
    const [middle, top] = [1, 2].map((k) => ply.write(refineLevels(low, k).mesh));
    const { assetId } = await client.bringIn('Creased', {
      'low.usda': usd.write(low, { scene: { metresPerUnit: 0.001, up: 'y' } }),
      'middle.ply': middle,
      'top.ply': top,
    });
    const { levelList } = await client.asset(assetId);
    expect(levelList.map((l) => l.faces)).toEqual([1280, 5120, 20480]);
    // every level is the one below refined with its creases: none adds anything
    for (const { detail } of levelList.slice(1)) expect(detail).toBeLessThan(1e-4);
  });

  it('describes itself to programs', async () => {
    expect((await client.json('/openapi.json')).body).toEqual(openApi());
  });

  it('what the reader passed over in a file is among the findings', () => {
    expect(asset.findings).toContainEqual(
      expect.objectContaining({ code: 'passed-over', message: 'low.obj: 1 lines with curves, lines or loose points were passed over.' }),
    );
  });

  it.each(['Bell\u0000', 'Bell \ud800', 'Be\u0007ll', 'lleB\u202e'])('a name that cannot be kept is refused as such: %j', async (name) => {
    const { status, body } = await client.askToBringIn(name, files, { unit: 'mm', assetId: null });
    expect([status, body.message]).toEqual([400, expect.stringMatching(/^name: it has characters that cannot be kept/)]);
    const recipe = await client.json<{ message: string }>('/recipes', 'POST', { name, unit: 'mm', settings: MEASURE_DEFAULTS });
    expect([recipe.status, recipe.body.message]).toEqual([400, expect.stringMatching(/^name: it has characters/)]);
  });

  it('a file with anything in it ends its job with a sentence', async () => {
    const odd = Buffer.concat([Buffer.from('v 1 2 3\u0000\u001b[2J\n'), Buffer.of(0x76, 0x20, 0xed, 0xa0, 0x80, 10), bell[0]]);
    const job = await client.bringIn('Odd', { 'low.obj': odd, 'top.obj': bell[2] });
    expect(job).toMatchObject({
      state: 'failed',
      error: expect.stringMatching(/^low\.obj:1: '3\ufffd\ufffd\[2J' in a point is not a finite number/) as string,
    });
  });

  it('a file may be called anything, and is called something plain here', async () => {
    expect((await client.upload('../a\u0000b\u{1f600}.obj', bell[0])).body.name).toBe('a_b\u{1f600}.obj');
  });

  it('of four people who bring in a part of one name at one moment, one does', async () => {
    const all = await Promise.all([1, 2, 3, 4].map(() => client.askToBringIn('Yoke', files, { unit: 'mm', assetId: asset.id })));
    expect(all.map((a) => a.status).sort()).toEqual([202, 409, 409, 409]);
    await client.ended(all.find((a) => a.status === 202)?.body.id ?? '');
    expect((await client.asset(asset.id)).parts.map((p) => p.name)).toEqual(['Bell', 'Yoke']);
  });

  it('an encoding beyond what a number can hold, or that keeps nothing, is refused before the press', async () => {
    const each = [1, 2, 3].map(() => ({ midpoint: 9, scale: 1 })) as unknown as EncodingSettings['each'];
    for (const [change, message] of [
      [{ scale: 1e45 }, /^encoding\.scale: /],
      [{ midpoint: 1e30 }, /^encoding\.midpoint: /],
      [{ scale: 1e8 }, /so all of it would be rounded to nothing/],
      [{ midpoint: 9 }, /so all of it would be clipped/],
      [{ each }, /^Only a vector map has an axis order and three ranges/],
      [{ axes: 'R=+U G=+V B=+N' }, /^Only a vector map has/],
    ] as const) {
      const { status, body } = await prove(change);
      expect([status, body.message]).toEqual([400, expect.stringMatching(message)]);
    }
  });

  it('a proof that would not fit into memory is refused with the figures', async () => {
    const { status, body } = await prove({}, 8);
    expect([status, body.code]).toEqual([400, 'NO_MEMORY']);
    expect(body.message).toMatch(
      /A proof at 8 subdivisions \(\d+ faces\) needs about [0-9.]+ GiB of memory and [0-9.]+ GiB are free; take fewer/,
    );
  });

  it('a row that cannot be read is named, and hides nothing else', async () => {
    expect((await client.ended((await prove({})).body.id)).state).toBe('done');
    const outside = new Client({ connectionString: database.url });
    await outside.connect();
    await outside.query(`update proof set outcome = jsonb_set(outcome, '{report,distance,rms}', 'null')`);
    await outside.end();
    const seen = await client.asset(asset.id);
    expect(seen.spans).toHaveLength(1);
    expect(seen.spans[0].proofs).toEqual([]);
    expect(seen.findings[0]).toMatchObject({ code: 'unreadable', severity: 'error' });
    expect(seen.findings[0].message).toMatch(
      /^The proof of heights, levels 0 to 2 of .* cannot be read \(outcome\.report\.distance\.rms: .*\); prove the map again\.$/,
    );
  });
});

describe('a server that other machines reach', () => {
  const token = 'Kn0wledge-of-tides-and-bells_4310';
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startServer(
      {
        DATABASE_URL: database.url, HOST: '127.0.0.1', PORT: 0, ESTAMPE_TOKEN: token, WEB_DIR: undefined, DEMO_TOP_LEVEL: 0, LOG_LEVEL: 'silent',
        EMBEDDED_WORKER: 'no',
      },
      pino({ level: 'silent' }),
      pathToFileURL(join(__dirname, '../dist/job.worker.js')),
    ); // prettier-ignore
  });
  afterAll(async () => {
    await server.stop();
    await database.drop();
  });
  const ask = (path: string, headers: Record<string, string> = {}) => fetch(`${server.url}${path}`, { headers, redirect: 'manual' });

  it('answers nobody without the token, a page after its link, a program with its header', async () => {
    expect((await ask('/api/assets')).status).toBe(401);
    expect((await ask('/api/assets?token=nearly')).status).toBe(401);
    const link = await ask(`//elsewhere.example/?token=${token}`);
    expect([link.status, link.headers.get('location')]).toEqual([303, '/elsewhere.example/']);
    const cookie = link.headers.get('set-cookie') ?? '';
    expect(cookie).toMatch(/HttpOnly; SameSite=Lax/);
    expect(cookie).not.toContain(token);
    expect((await ask('/api/assets', { cookie: cookie.split(';')[0] })).status).toBe(200);
    expect((await ask('/api/assets', { cookie: `${cookie.split(';')[0]}0` })).status).toBe(401);
    expect((await ask('/api/assets', { authorization: `Bearer ${token}` })).status).toBe(200);
  });

  it('does not let an address guess for long', async () => {
    let last = '';
    for (let k = 0; k < 130; k++) last = await (await ask('/api/assets', { authorization: `Bearer guess-${k}` })).text();
    expect(last).toContain('Too many attempts');
  });
});

it('an upload that comes byte by byte takes one chunk of memory', async () => {
  const database = await freshDatabase();
  const db = connect(database.url);
  await migrate(db.sequelize);
  let most = 0;
  function* bytes() {
    for (let k = 0; k < 500_000; k++) {
      if (k % 50_000 === 0) most = Math.max(most, process.memoryUsage().external);
      // as a socket gives it: a view of a larger buffer, which lives as long as the view
      yield k % 250 === 0 ? Buffer.alloc(64 * 1024).subarray(0, 1) : Buffer.of(k % 251);
    }
  }
  const before = process.memoryUsage().external;
  const { bytes: stored } = await new Blobs(db).putStream(Readable.from(bytes()), 1e9);
  expect(stored).toBe(500_000);
  expect(most - before).toBeLessThan(40e6);
  await db.sequelize.close();
  await database.drop();
});

it('a page that does not read loses pictures, then its stream, and not the memory of the server', async () => {
  const events = new Events({ send: () => undefined } as unknown as Wire);
  let response: ServerResponse | null = null;
  const server = createServer((request, answer) => {
    response = answer;
    void createSession(request, answer).then((session) => events.listen(session, answer));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const asked = get({ port: (server.address() as AddressInfo).port, host: '127.0.0.1' }, (stream) => stream.pause());
  asked.on('error', () => undefined);
  const listening = (): ServerResponse | null => response;
  while (listening()?.headersSent !== true) await new Promise((resolve) => setTimeout(resolve, 10));
  const piece = {
    jobId: 'j',
    spanId: null,
    tile: 1001,
    kind: 'scalar',
    width: 256,
    height: 256,
    y0: 0,
    rows: 8,
    range: 1,
    data: 'A'.repeat(6000),
  };
  const flood = async (event: ServerEvent, times: number): Promise<number> => {
    let most = 0;
    for (let k = 0; k < times; k++) {
      events.show(event);
      most = Math.max(most, listening()?.writableLength ?? 0);
      if (k % 100 === 0) await new Promise((resolve) => setTimeout(resolve, 1));
    }
    return most;
  };
  expect(await flood({ type: 'piece', piece }, 5000)).toBeLessThan(200_000);
  expect(listening()?.destroyed).toBe(false);
  const job = { type: 'job', job: { title: 'x'.repeat(20_000) } } as unknown as ServerEvent;
  expect(await flood(job, 500)).toBeLessThan(700_000);
  expect(listening()?.destroyed).toBe(true);
  expect(events.full).toBe(false);
  server.close();
});
