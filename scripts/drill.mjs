// node scripts/drill.mjs kill|load: what the application survives, with figures. Needs `npm run build`. Uses a database of its own under DRILL_DIR.
//   kill  ten jobs, once in peace and once while server, worker and database are killed at random moments; the content hashes must be the same
//   load  fifty uploads at once; the server's memory is watched
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';

const root = new URL('..', import.meta.url).pathname;
const folder = process.env.DRILL_DIR ?? join(tmpdir(), 'estampe-drill');
const sleep = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
const pgScript = (...args) => spawnSync('bash', ['scripts/pg.sh', folder, ...args], { cwd: root, encoding: 'utf8' });

/** A database cluster and a server on it, both of which can be killed and started again. */
class Installation {
  constructor(database) {
    this.database = database;
  }
  async startDatabase() {
    const { status, stderr } = pgScript('start', 'durable');
    if (status !== 0) throw new Error(stderr);
    this.cluster = pgScript('url').stdout.trim();
  }
  url() {
    const url = new URL(this.cluster);
    url.pathname = `/${this.database}`;
    return url.href;
  }
  async query(sql) {
    const client = new pg.Client({ connectionString: this.url() });
    await client.connect();
    try {
      return (await client.query(sql)).rows;
    } finally {
      await client.end();
    }
  }
  async create() {
    const client = new pg.Client({ connectionString: this.cluster });
    await client.connect();
    await client.query(`create database ${this.database}`);
    await client.end();
  }
  async startServer() {
    this.server = spawn(process.execPath, ['apps/server/dist/main.js'], {
      cwd: root,
      env: {
        ...process.env,
        DATABASE_URL: this.url(),
        PORT: '0',
        DEMO_TOP_LEVEL: '2',
        LOG_LEVEL: 'fatal',
        EMBEDDED_WORKER: this.embedded ?? 'yes',
      },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    this.base = await new Promise((resolve, reject) => {
      let said = '';
      this.server.stdout.on('data', (d) => {
        said += d;
        /http:\S+/.exec(said)?.forEach((u) => resolve(u));
      });
      this.server.once('exit', () => reject(new Error(`the server ended while starting: ${said}`)));
    });
  }
  /** The server hands jobs out, this one does them. */
  async startWorker() {
    this.worker = spawn(process.execPath, ['apps/server/dist/worker.js'], {
      cwd: root,
      env: { ...process.env, DATABASE_URL: this.url(), LOG_LEVEL: 'fatal' },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    await new Promise((resolve, reject) => {
      this.worker.stdout.once('data', resolve);
      this.worker.once('exit', () => reject(new Error('the worker ended while starting')));
    });
  }
  async killWorker() {
    const ended = new Promise((resolve) => this.worker.once('exit', resolve));
    this.worker.kill('SIGKILL');
    await ended;
  }
  async killServer() {
    const ended = new Promise((resolve) => this.server.once('exit', resolve));
    this.server.kill('SIGKILL');
    await ended;
  }
  /** Like a power cut: no checkpoint, no goodbye. */
  async killDatabase() {
    const pid = Number(readFileSync(join(folder, 'data/postmaster.pid'), 'utf8').split('\n')[0]);
    process.kill(pid, 'SIGQUIT');
    while (existsSync(`/proc/${pid}`)) await sleep(50);
  }
  async json(path, method = 'GET', body) {
    const response = await fetch(`${this.base}/api${path}`, {
      method,
      ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } }),
    });
    if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
    return response.json();
  }
}

const settings = {
  fromLevel: 0, toLevel: 2, size: 512, base: 'limit', match: 'auto', reach: null, samples: 1, padding: 16, boundary: 'edge-and-corner', uv: 'linear',
  matchSeams: false, fitTexels: false, frame: 'mikk', forHeights: true,
}; // prettier-ignore
const heights = { fit: 'by hand', green: 'up', keepBlue: true, midpoint: 32768 / 65535, depth: '16', fileType: 'tif' };

/** The ten jobs: both assets measured in three ways, two proofs each. @returns ids of the jobs */
async function tenJobs(installation) {
  let assets;
  do await sleep(500);
  while ((assets = await installation.json('/assets')).length < 2);
  const jobs = [];
  for (const { id } of assets)
    for (const change of [{ kinds: ['scalar', 'normal'] }, { kinds: ['scalar'], matchSeams: true }, { kinds: ['normal'], samples: 2 }])
      jobs.push((await installation.json(`/assets/${id}/spans`, 'POST', { ...settings, ...change })).id);
  await ended(installation, jobs);
  for (const { id } of assets) {
    const [first, , second] = (await installation.json(`/assets/${id}`)).spans;
    for (const [span, scale] of [[first, 25], [second, 100]]) // prettier-ignore
      jobs.push((await retry(() => installation.json(`/spans/${span.id}/proofs`, 'POST', { encoding: { ...heights, scale }, subdivisions: 2, tolerance: 1 }))).id); // prettier-ignore
  }
  await ended(installation, jobs);
  return jobs;
}
async function retry(work) {
  for (;;) {
    try {
      return await work();
    } catch {
      await sleep(400);
    }
  }
}
async function ended(installation, ids) {
  for (;;) {
    const jobs = await retry(() => installation.json('/jobs'));
    const mine = jobs.filter((j) => ids.includes(j.id));
    const bad = mine.find((j) => j.state === 'failed' || j.state === 'cancelled');
    if (bad) throw new Error(`${bad.title}: ${bad.error}`);
    if (mine.length === ids.length && mine.every((j) => j.state === 'done')) return;
    await sleep(300);
  }
}

/** Hashes of everything that the jobs have written, in an order that does not depend on time. */
async function hashes(installation) {
  const rows = await installation.query(`
    select 'field' kind, a.name || ' ' || s.settings::text what, f.hash from field f join span s on s.id = f.span_id join part p on p.id = s.part_id join asset a on a.id = p.asset_id
    union all select 'map', m.name || ' ' || (p.encoding ->> 'scale'), m.hash from map_file m join proof p on p.id = m.proof_id
    union all select 'proof mesh', (p.encoding ->> 'scale') || ' ' || a.name, p.mesh_hash from proof p join span s on s.id = p.span_id join part t on t.id = s.part_id join asset a on a.id = t.asset_id
    union all select 'errors', (p.encoding ->> 'scale') || ' ' || a.name, p.errors_hash from proof p join span s on s.id = p.span_id join part t on t.id = s.part_id join asset a on a.id = t.asset_id
    order by 1, 2`);
  return rows.map((r) => ({ what: `${r.kind} ${r.what}`.slice(0, 60), key: `${r.kind} ${r.what}`, hash: r.hash }));
}

async function kill() {
  const seed = Number(process.env.DRILL_SEED ?? 7);
  let state = seed;
  const random = () => (state = (state * 48271) % 2147483647) / 2147483647;
  const run = async (faults) => {
    const installation = new Installation(`drill_${randomBytes(4).toString('hex')}`);
    installation.embedded = 'no';
    await installation.startDatabase();
    await installation.create();
    await installation.startServer();
    await installation.startWorker();
    const counts = { server: 0, worker: 0, database: 0 };
    let over = false;
    const troubled = faults
      ? (async () => {
          while (!over) {
            await sleep(4000 + 12_000 * random());
            if (over) break;
            const what = random();
            if (what < 0.33) {
              counts.server++;
              await installation.killServer();
              await installation.startServer();
            } else if (what < 0.66) {
              counts.worker++;
              await installation.killWorker();
              await installation.startWorker();
            } else {
              counts.database++;
              await installation.killDatabase();
              await sleep(700 + 1500 * random());
              await installation.startDatabase();
            }
          }
        })()
      : Promise.resolve();
    const started = Date.now();
    const jobs = await retry(() => tenJobs(installation));
    over = true;
    await troubled;
    const seconds = Math.round((Date.now() - started) / 1000);
    const attempts = (await installation.query('select sum(attempts)::int n from job'))[0].n;
    const list = await hashes(installation);
    await installation.killWorker();
    await installation.killServer();
    return { list, jobs: jobs.length, seconds, attempts, counts };
  };
  const peace = await run(false);
  const trouble = await run(true);
  console.log(`in peace: ${peace.jobs} jobs, ${peace.seconds} s, ${peace.attempts} attempts`);
  console.log(
    `killed:   ${trouble.jobs} jobs, ${trouble.seconds} s, ${trouble.attempts} attempts; server killed ${trouble.counts.server} times, worker ${trouble.counts.worker} times, database ${trouble.counts.database} times (seed ${seed})`,
  );
  const there = new Map(trouble.list.map((r) => [r.key, r.hash]));
  let same = 0;
  for (const { key, what, hash } of peace.list) {
    const ok = there.get(key) === hash;
    if (ok) same++;
    console.log(`${ok ? 'same' : 'DIFFERENT'} ${hash.slice(0, 16)} ${what}`);
  }
  console.log(`${same} of ${peace.list.length} content hashes are the same; ${trouble.list.length} results after the kills`);
  if (same !== peace.list.length || trouble.list.length !== peace.list.length) process.exitCode = 1;
}

async function load() {
  const [uploads, megabytes] = [50, 40];
  const installation = new Installation(`drill_${randomBytes(4).toString('hex')}`);
  await installation.startDatabase();
  await installation.create();
  await installation.startServer();
  await sleep(20_000); // the demo is made first
  const rss = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${installation.server.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
  const before = rss();
  let most = before;
  const watch = setInterval(() => (most = Math.max(most, rss())), 50);
  const started = Date.now();
  const answers = await Promise.all(
    Array.from({ length: uploads }, async (_, i) => {
      const body = Buffer.alloc(megabytes * 1e6, `v ${i} 2 3\n`);
      const response = await fetch(`${installation.base}/api/uploads?name=${i}.obj`, { method: 'PUT', body });
      return { status: response.status, ...(await response.json()) };
    }),
  );
  clearInterval(watch);
  const stored = (await installation.query('select count(*)::int n, sum(bytes)::bigint bytes from blob where hash is not null'))[0];
  console.log(
    `${uploads} uploads of ${megabytes} MB at once: ${answers.filter((a) => a.status === 201).length} stored, ${new Set(answers.map((a) => a.hash)).size} different, ${((Date.now() - started) / 1000).toFixed(1)} s`,
  );
  console.log(`server memory ${before.toFixed(0)} MiB before, at most ${most.toFixed(0)} MiB meanwhile; ${stored.n} blobs in the database`);
  await installation.killServer();
  if (answers.some((a) => a.status !== 201)) process.exitCode = 1;
}

try {
  await (process.argv[2] === 'load' ? load() : kill());
} finally {
  pgScript('stop');
}
process.exit();
