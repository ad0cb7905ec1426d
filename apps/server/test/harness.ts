import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { AssetDetail, JobInfo, Uploaded } from '@estampe/contracts';
import { polyMesh, refineLevels, writeObj } from '@estampe/core';
import { Client } from 'pg';
import { pino } from 'pino';
import type { RunningServer } from '../src/server';
import { startServer } from '../src/server';

const DIST = join(__dirname, '../dist');

/** An empty database of its own in the tests' cluster (DATABASE_URL). */
export async function freshDatabase(): Promise<{ url: string; drop(): Promise<void> }> {
  const cluster = process.env['DATABASE_URL'];
  if (cluster === undefined) throw new Error('DATABASE_URL is not set; run npm test, which starts a database for the tests');
  const name = `server_${randomBytes(6).toString('hex')}`;
  const admin = async (sql: string): Promise<void> => {
    const client = new Client({ connectionString: cluster });
    await client.connect();
    await client.query(sql).finally(() => client.end());
  };
  await admin(`create database ${name}`);
  const url = new URL(cluster);
  url.pathname = `/${name}`;
  return { url: url.href, drop: () => admin(`drop database if exists ${name} with (force)`) };
}

/** A server without the demo, whose import would take longer than most tests. */
export function startTestServer(
  databaseUrl: string,
  { embedded = 'yes', demo = 0 }: { readonly embedded?: 'yes' | 'no'; readonly demo?: number } = {},
): Promise<RunningServer> {
  return startServer(
    {
      DATABASE_URL: databaseUrl,
      HOST: '127.0.0.1',
      PORT: 0,
      WEB_DIR: undefined,
      DEMO_TOP_LEVEL: demo,
      LOG_LEVEL: 'silent',
      EMBEDDED_WORKER: embedded,
    },
    pino({ level: 'silent' }),
    pathToFileURL(join(DIST, 'job.worker.js')),
  );
}

/** A flat plate of 108 quads in two islands, the second turned, and its second level with hills and a drift to the side. A flat base needs no refining, so that
 *  it is measured in a tenth of the time that the demo's assets take. */
export function plate(): readonly [low: Uint8Array, sculpt: Uint8Array] {
  const [columns, rows] = [12, 9];
  const at = (i: number, j: number): number => j * (columns + 1) + i;
  const places = Array.from({ length: (columns + 1) * (rows + 1) }, (_, p) => [p % (columns + 1), Math.floor(p / (columns + 1))]);
  const faceVerts = Uint32Array.from({ length: columns * rows }, (_, f) => f).reduce<number[]>((all, f) => {
    const [i, j] = [f % columns, Math.floor(f / columns)];
    return [...all, at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
  }, []);
  const low = polyMesh({
    positions: Float32Array.from(places.flatMap(([i, j]) => [25 * i, 25 * j, 0])),
    uvs: Float32Array.from([
      ...places.flatMap(([i, j]) => [0.03 + 0.07 * i, 0.03 + 0.07 * j]),
      ...places.flatMap(([i, j]) => [0.98 - 0.047 * j, 0.1 + 0.06 * i]),
    ]),
    faceVerts: Uint32Array.from(faceVerts),
    faceUvs: Uint32Array.from(faceVerts, (v, c) => (Math.floor(c / 4) % columns < columns / 2 ? v : places.length + v)),
    faceOffsets: Uint32Array.from({ length: columns * rows + 1 }, (_, f) => 4 * f),
  });
  const { mesh } = refineLevels(low, 2);
  const positions = mesh.positions.slice();
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y] = [positions[i] / 25, positions[i + 1] / 25];
    // the border stays where it is
    positions[i] += 2 * Math.sin(y) * Math.sin((Math.PI * x) / columns) * Math.sin((Math.PI * y) / rows);
    positions[i + 2] = 6 * Math.sin(x) * Math.cos(1.3 * y);
  }
  return [writeObj(low), writeObj({ ...mesh, positions })];
}

/** The API as a browser uses it. */
export class TestClient {
  constructor(readonly base: string) {}

  // eslint-disable-next-line @typescript-eslint/no-unnecessary-type-parameters -- the caller says what the answer is
  async json<T>(path: string, method = 'GET', body?: unknown): Promise<{ status: number; body: T }> {
    const response = await fetch(`${this.base}/api${path}`, {
      method,
      // a connection kept alive may have died while a test blocked this process
      headers: { connection: 'close', 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await response.text();
    return { status: response.status, body: (text === '' ? null : JSON.parse(text)) as T };
  }
  async upload(name: string, bytes: Uint8Array): Promise<{ status: number; body: Uploaded & { message: string } }> {
    const response = await fetch(`${this.base}/api/uploads?name=${encodeURIComponent(name)}`, {
      method: 'PUT',
      body: bytes as Uint8Array<ArrayBuffer>,
    });
    return { status: response.status, body: (await response.json()) as Uploaded & { message: string } };
  }
  /** @param assetId that gets one more part; a new asset without it */
  async bringIn(
    name: string,
    files: Record<string, Uint8Array>,
    assetId: string | null = null,
    uvSet: string | null = null,
  ): Promise<JobInfo> {
    const { body } = await this.askToBringIn(name, files, { unit: 'mm', assetId, uvSet });
    if (!('id' in body)) throw new Error(JSON.stringify(body));
    return this.ended(body.id);
  }
  async askToBringIn(
    name: string,
    files: Record<string, Uint8Array>,
    more: { unit: string; assetId: string | null; uvSet?: string | null },
  ) {
    const uploaded = [];
    for (const [file, bytes] of Object.entries(files)) uploaded.push((await this.upload(file, bytes)).body);
    return this.json<JobInfo & { message: string }>('/assets', 'POST', {
      name,
      ...more,
      files: uploaded.map(({ hash, name: n }) => ({ hash, name: n })),
    });
  }
  /** Waits for a job to end. */
  async ended(jobId: string, timeoutMs = 150_000): Promise<JobInfo> {
    const until = Date.now() + timeoutMs;
    for (;;) {
      const job = await this.job(jobId).catch(() => null);
      if (job?.endedAt) return job;
      if (Date.now() > until) throw new Error(`job ${jobId} is ${job?.state ?? 'unknown'} after ${timeoutMs} ms`);
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  }
  /** Id of the first job that there is; the demo's, in a new database. */
  async firstJob(): Promise<string> {
    for (;;) {
      const [job] = (await this.json<JobInfo[]>('/jobs')).body;
      if (job as JobInfo | undefined) return job.id;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
  }
  async job(id: string): Promise<JobInfo> {
    const job = (await this.json<JobInfo[]>('/jobs')).body.find((j) => j.id === id);
    if (!job) throw new Error(`no job ${id}`);
    return job;
  }
  async asset(id: string | null, partId?: string): Promise<AssetDetail> {
    return (await this.json<AssetDetail>(`/assets/${id}${partId === undefined ? '' : `?part=${partId}`}`)).body;
  }
}
