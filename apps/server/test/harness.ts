import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { AssetDetail, JobInfo, Uploaded } from '@estampe/contracts';
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

export function startTestServer(databaseUrl: string, embedded: 'yes' | 'no' = 'yes'): Promise<RunningServer> {
  return startServer(
    {
      DATABASE_URL: databaseUrl,
      HOST: '127.0.0.1',
      PORT: 0,
      WEB_DIR: undefined,
      DEMO_TOP_LEVEL: 1,
      LOG_LEVEL: 'silent',
      EMBEDDED_WORKER: embedded,
    },
    pino({ level: 'silent' }),
    pathToFileURL(join(DIST, 'job.worker.js')),
  );
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
  async bringIn(name: string, files: Record<string, Uint8Array>, assetId: string | null = null): Promise<JobInfo> {
    const { body } = await this.askToBringIn(name, files, { unit: 'mm', assetId });
    return this.ended(body.id);
  }
  async askToBringIn(name: string, files: Record<string, Uint8Array>, more: { unit: string; assetId: string | null }) {
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
