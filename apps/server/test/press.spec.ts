import type { ChildProcess } from 'node:child_process';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';
import type { JobInfo, MeasureRequest } from '@estampe/contracts';
import { eventSchema, MEASURE_DEFAULTS } from '@estampe/contracts';
import { writeObj } from '@estampe/core';
import { harbourBell } from '@estampe/demo';
import type { RunningServer } from '../src/server';
import { freshDatabase, startTestServer, TestClient } from './harness';

// two whole passes, on a machine that may be busy with others
jest.setTimeout(600_000);

const WORKER = join(__dirname, '../dist/worker.js');
const bell = harbourBell(2).map((mesh) => writeObj(mesh));
/** Some seconds of work. */
const long: MeasureRequest = { ...MEASURE_DEFAULTS, toLevel: 2, size: 288, kinds: ['scalar', 'occlusion'], occlusionRays: 16 };
const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

describe('a press of several processes', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let server: RunningServer;
  let client: TestClient;
  const workers: ChildProcess[] = [];
  beforeAll(async () => {
    database = await freshDatabase();
    server = await startTestServer(database.url, { embedded: 'no' });
    client = new TestClient(server.url);
  });
  afterAll(async () => {
    for (const worker of workers) worker.kill('SIGKILL');
    await server.stop();
    await database.drop();
  });

  async function join(): Promise<ChildProcess> {
    const worker = spawn(process.execPath, [WORKER], {
      env: { ...process.env, DATABASE_URL: database.url, LOG_LEVEL: 'silent' },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    workers.push(worker);
    const [said] = (await once(worker.stdout, 'data')) as [Buffer];
    expect(String(said)).toMatch(/^The worker on \S+ has joined the press of 127\.0\.0\.1/);
    return worker;
  }
  const started = async (jobId: string): Promise<JobInfo> => {
    for (;;) {
      const job = await client.job(jobId);
      if (job.state !== 'waiting') return job;
      await sleep(50);
    }
  };
  const extract = async (assetId: string | null, request: MeasureRequest): Promise<JobInfo> =>
    (await client.json<JobInfo>(`/assets/${assetId}/spans`, 'POST', request)).body;
  const hashOf = async (assetId: string | null): Promise<string> => {
    const { spans } = await client.asset(assetId);
    const files = await Promise.all(
      spans.map(async (s) =>
        Buffer.from(await (await fetch(`${server.url}/api/fields/${s.fields[0].id}/data`)).arrayBuffer()).toString('base64'),
      ),
    );
    return files.join();
  };

  it('refuses a database that no server has set up, in one line', async () => {
    const empty = await freshDatabase();
    const child = spawn(process.execPath, [WORKER], {
      env: { ...process.env, DATABASE_URL: empty.url },
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    let said = '';
    child.stderr.on('data', (d: Buffer) => (said += String(d)));
    const [code] = (await once(child, 'exit')) as [number];
    await empty.drop();
    expect(code).toBe(1);
    expect(said).toMatch(/^The worker cannot start: the database is not set up for this version.*start the server/);
  });

  it('leaves jobs waiting until a worker joins, shows their progress to browsers, and hears a cancel within a second', async () => {
    const { body } = await client.askToBringIn('Waiting bell', { 'low.obj': bell[0] }, { unit: 'mm', assetId: null });
    await sleep(1500);
    expect((await client.job(body.id)).state).toBe('waiting');
    const events = new AbortController();
    const told: string[] = [];
    const stream = await fetch(`${server.url}/api/events`, { signal: events.signal });
    const reading = (async () => {
      const decoder = new TextDecoder();
      for await (const chunk of stream.body as unknown as AsyncIterable<Uint8Array>)
        for (const line of decoder.decode(chunk).split('\n')) {
          const data = /^data: ?(.*)$/.exec(line)?.[1];
          const event = data ? eventSchema.safeParse(JSON.parse(data)) : null;
          if (event?.success && event.data.type === 'job') told.push(`${event.data.job.kind} ${event.data.job.state}`);
        }
    })().catch(() => undefined);
    await join();
    const { assetId } = await client.bringIn('Bell', { 'low.obj': bell[0], 'top.obj': bell[2] });
    expect(told).toEqual(expect.arrayContaining(['import running', 'import done']));
    const job = await extract(assetId, { ...long, samples: 6 });
    await started(job.id);
    await sleep(1000);
    await client.json(`/jobs/${job.id}/cancel`, 'POST');
    const at = Date.now();
    const quick = await extract(assetId, { ...MEASURE_DEFAULTS, toLevel: 2, size: 64 });
    await started(quick.id);
    // the only worker is free again, so it has let go of the cancelled one
    expect(Date.now() - at).toBeLessThan(2500);
    expect(await client.ended(quick.id)).toMatchObject({ state: 'done' });
    expect((await client.job(job.id)).state).toBe('cancelled');
    events.abort();
    await reading;
  });

  it('takes up within seconds what a killed worker was at, and the results are the same', async () => {
    const peace = await client.bringIn('Bell in peace', { 'low.obj': bell[0], 'top.obj': bell[2] });
    await client.ended((await extract(peace.assetId, long)).id);
    const war = await client.bringIn('Bell in war', { 'low.obj': bell[0], 'top.obj': bell[2] });
    const job = await extract(war.assetId, long);
    await started(job.id);
    await sleep(1500);
    workers[0].kill('SIGKILL');
    const at = Date.now();
    await join();
    for (;;) {
      const now = await client.job(job.id);
      // taken up again: its progress starts anew, and moves
      if (now.state === 'done' || (now.startedAt !== null && Date.parse(now.startedAt) > at)) break;
      await sleep(100);
    }
    expect(Date.now() - at).toBeLessThan(20_000);
    expect(await client.ended(job.id)).toMatchObject({ state: 'done', error: null });
    expect(await hashOf(war.assetId)).toBe(await hashOf(peace.assetId));
  });
});
