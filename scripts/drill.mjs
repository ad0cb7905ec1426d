// node scripts/drill.mjs kill|load|workers|tiles: what the application survives, with figures. Needs `npm run build`. Uses a database of its own under DRILL_DIR.
//   kill  fifteen jobs, once in peace and then again and again while server, worker and database are killed at random moments, until they were
//         killed fifty times in all (DRILL_KILLS); the content hashes must be the same
//   workers  one run of tiles by one worker, by two, and by two of which one is killed: times, and what a tile costs the database
//   load  fifty uploads at once, while 200 pages listen, 20 of them without reading, and a pass tells them of itself; the server's memory is watched
//   tiles  heights of a hundred tiles, measured by two workers while a page's requests come a hundred times a second: paused, resumed, one worker killed;
//         how soon requests are answered, what the database holds (DRILL_SIZE texels a side)
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { connect } from 'node:net';
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
    // whatever ends this script ends what it has started
    process.on('exit', () => {
      this.server?.kill('SIGKILL');
      this.worker?.kill('SIGKILL');
    });
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
        DEMO_TOP_LEVEL: String(this.level ?? 2),
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
  async startWorker(threads, core) {
    const command = [process.execPath, 'apps/server/dist/worker.js'];
    const [program, ...args] = core === undefined ? command : ['taskset', '-c', String(core), ...command];
    const worker = spawn(program, args, {
      cwd: root,
      env: { ...process.env, DATABASE_URL: this.url(), LOG_LEVEL: 'fatal', ...(threads ? { THREADS: String(threads) } : {}) },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    this.worker = worker;
    await new Promise((resolve, reject) => {
      worker.stdout.once('data', resolve);
      worker.once('exit', () => reject(new Error('the worker ended while starting')));
    });
    return worker;
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
  /** What the database has done so far: transactions, rows written, megabytes of its log, CPU seconds of all its processes. */
  async cost() {
    await sleep(1500); // its own figures lag by up to a second
    const [row] = await this.query(`
      select xact_commit::float8 transactions, (tup_inserted + tup_updated + tup_deleted)::float8 rows,
             (pg_wal_lsn_diff(pg_current_wal_lsn(), '0/0') / 1e6)::float8 megabytes
        from pg_stat_database where datname = current_database()`);
    const head = Number(readFileSync(join(folder, 'data/postmaster.pid'), 'utf8').split('\n')[0]);
    // ticks of itself and of what it waited for; the children that still run count by themselves
    const ticks = (pid) => {
      try {
        return readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ').slice(11, 15).map(Number);
      } catch {
        return []; // it has just ended, and its time went to the one that waited for it
      }
    };
    const children = readFileSync(`/proc/${head}/task/${head}/children`, 'utf8').trim().split(' ').filter(Boolean);
    const sum = [head, ...children].reduce((n, pid) => n + ticks(pid).reduce((a, b) => a + b, 0), 0);
    return { ...row, cpuSeconds: sum / 100 };
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

/** Fifteen jobs: three assets measured in three ways, two proofs each. @returns ids of the jobs */
async function allJobs(installation) {
  let assets;
  do await sleep(500);
  while ((assets = await retry(() => installation.json('/assets'))).length < 3);
  const jobs = [];
  for (const { id } of assets)
    for (const change of [{ kinds: ['scalar', 'normal'] }, { kinds: ['scalar'], matchSeams: true }, { kinds: ['normal'], samples: 2 }])
      jobs.push((await retry(() => installation.json(`/assets/${id}/spans`, 'POST', { ...settings, ...change }))).id);
  await ended(installation, jobs);
  for (const { id } of assets) {
    const [first, , second] = (await retry(() => installation.json(`/assets/${id}`))).spans;
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
let retold = 0;
async function ended(installation, ids) {
  for (;;) {
    const jobs = await retry(() => installation.json('/jobs'));
    const mine = jobs.filter((j) => ids.includes(j.id));
    const bad = mine.find((j) => j.state === 'failed' || j.state === 'cancelled');
    // a task whose worker was killed three times is given up: here that is bad luck, so somebody asks for it again
    if (bad?.error?.includes('Its worker ended')) {
      retold++;
      await retry(() => installation.json(`/jobs/${bad.id}/retry`, 'POST'));
      continue;
    }
    if (bad) throw new Error(`${bad.title}: ${bad.error}`);
    if (mine.length === ids.length && mine.every((j) => j.state === 'done')) return;
    await sleep(300);
  }
}

/** Hashes of everything that the jobs have written, in an order that does not depend on time. */
async function hashes(installation) {
  const rows = await installation.query(`
    select 'field' kind, a.name || ' ' || f.tile || ' ' || s.settings::text what, f.hash from field f join span s on s.id = f.span_id join part p on p.id = s.part_id join asset a on a.id = p.asset_id
    union all select 'map', m.name || ' ' || m.tile || ' ' || (p.encoding ->> 'scale'), m.hash from map_file m join proof p on p.id = m.proof_id
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
    const jobs = await allJobs(installation);
    over = true;
    await troubled;
    const seconds = Math.round((Date.now() - started) / 1000);
    const attempts = (await installation.query('select sum(attempts)::int n from task'))[0].n;
    const list = await hashes(installation);
    await installation.killWorker();
    await installation.killServer();
    return { list, jobs: jobs.length, seconds, attempts, counts };
  };
  const wanted = Number(process.env.DRILL_KILLS ?? 50);
  const peace = await run(false);
  console.log(`in peace: ${peace.jobs} jobs, ${peace.seconds} s, ${peace.attempts} attempts, ${peace.list.length} results`);
  let kills = 0;
  for (let round = 1; kills < wanted; round++) {
    retold = 0;
    const { counts, jobs, seconds, attempts, list } = await run(true);
    kills += counts.server + counts.worker + counts.database;
    const there = new Map(list.map((r) => [r.key, r.hash]));
    const other = peace.list.filter(({ key, hash }) => there.get(key) !== hash);
    console.log(
      `round ${round}:  ${jobs} jobs, ${seconds} s, ${attempts} attempts; server killed ${counts.server} times, worker ${counts.worker}, database ${counts.database} (${kills} in all, seed ${seed}); asked for again ${retold}; ${peace.list.length - other.length} of ${peace.list.length} content hashes the same, ${list.length} results`,
    );
    for (const { what } of other) console.log(`DIFFERENT ${what}`);
    if (other.length > 0 || list.length !== peace.list.length) process.exitCode = 1;
  }
}

/** The same pass over the four tiles of the quay stone, all kinds of maps: each worker is held to one core, as if it were a machine of its own; the database and the server share
 *  the cores with them. DRILL_QUICK=1 leaves the killing out. */
async function workers() {
  const size = Number(process.env.DRILL_SIZE ?? 1024);
  const kinds = ['scalar', 'vector', 'normal', 'occlusion', 'curvature', 'hollows', 'colour'];
  const run = async (count, killOne) => {
    const installation = new Installation(`drill_${randomBytes(4).toString('hex')}`);
    installation.embedded = 'no';
    installation.level = 4;
    await installation.startDatabase();
    await installation.create();
    await installation.startServer();
    const first = await installation.startWorker(1, 0);
    let assets;
    do await sleep(500);
    while ((assets = await retry(() => installation.json('/assets'))).length < 3);
    const stone = assets.find((a) => a.lowFaces === 1120);
    const others = [];
    for (let k = 1; k < count; k++) others.push(await installation.startWorker(1, k));
    const before = await installation.cost();
    const started = Date.now();
    const { id } = await installation.json(`/assets/${stone.id}/spans`, 'POST', {
      ...settings,
      toLevel: 4,
      size,
      kinds,
      occlusionRays: 16,
    });
    const killed = killOne
      ? (async () => {
          for (;;) {
            await sleep(300);
            const job = (await retry(() => installation.json('/jobs'))).find((j) => j.id === id);
            if (job.tasksDone >= 1) break;
          }
          const ending = new Promise((resolve) => first.once('exit', resolve));
          first.kill('SIGKILL');
          await ending;
        })()
      : Promise.resolve();
    await ended(installation, [id]);
    await killed;
    const seconds = (Date.now() - started) / 1000;
    const after = await installation.cost();
    const spent = Object.fromEntries(Object.entries(after).map(([k, v]) => [k, v - before[k]]));
    const attempts = (await installation.query(`select sum(attempts)::int n from task where job_id = '${id}'`))[0].n;
    const stored = (await installation.query(`select count(*)::int n, sum((info ->> 'bytes')::bigint)::bigint bytes from field`))[0];
    const list = await hashes(installation);
    for (const worker of [first, ...others]) worker.kill('SIGKILL');
    await installation.killServer();
    return { seconds, attempts, list, spent, stored };
  };
  const one = await run(1, false);
  const two = await run(2, false);
  const torn = process.env.DRILL_QUICK ? null : await run(2, true);
  const keys = (r) => JSON.stringify(r.list.map(({ key, hash }) => [key, hash]));
  const tiles = 4;
  console.log(
    `${kinds.length} maps of 4 tiles at ${size}: one worker ${one.seconds.toFixed(1)} s, two ${two.seconds.toFixed(1)} s: ${(one.seconds / two.seconds).toFixed(2)} times as fast`,
  );
  if (torn) console.log(`two, one of them killed half-way: ${torn.seconds.toFixed(1)} s, ${torn.attempts} attempts for ${tiles} tiles`);
  console.log(
    `${one.list.length} content hashes: two workers ${keys(one) === keys(two) ? 'the same' : 'DIFFERENT'}, killed ${torn === null ? 'not tried' : keys(one) === keys(torn) ? 'the same' : 'DIFFERENT'}`,
  );
  const { transactions, rows, megabytes, cpuSeconds } = one.spent;
  console.log(
    `the database, a tile of ${kinds.length} maps: ${Math.round(transactions / tiles)} transactions, ${Math.round(rows / tiles)} rows written, ${(megabytes / tiles).toFixed(0)} MB of log, ${(cpuSeconds / tiles).toFixed(2)} CPU s, ${(Number(one.stored.bytes) / tiles / 1e6).toFixed(0)} MB stored`,
  );
  if (keys(one) !== keys(two) || (torn && keys(one) !== keys(torn))) process.exitCode = 1;
}

/** A sheet of 40 x 40 quads over a hundred tiles, and the same sheet three levels finer, wavy. */
function tiledSheet() {
  const grid = (n, z, uvs) => {
    const lines = [];
    for (let j = 0; j <= n; j++)
      for (let i = 0; i <= n; i++) lines.push(`v ${(100 * i) / n} ${z(i / n, j / n).toFixed(5)} ${(-100 * j) / n}`);
    if (uvs) for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) lines.push(`vt ${(10 * i) / n} ${(10 * j) / n}`);
    const corner = (i, j) => {
      const k = j * (n + 1) + i + 1;
      return uvs ? `${k}/${k}` : `${k}`;
    };
    for (let j = 0; j < n; j++)
      for (let i = 0; i < n; i++) lines.push(`f ${corner(i, j)} ${corner(i + 1, j)} ${corner(i + 1, j + 1)} ${corner(i, j + 1)}`);
    return `${lines.join('\n')}\n`;
  };
  const wave = (u, v) => 0.8 * Math.sin(40 * u) * Math.cos(30 * v) + 0.1 * Math.sin(300 * u + 170 * v);
  return [
    { name: 'sheet_low.obj', text: grid(40, () => 0, true) },
    { name: 'sheet_high.obj', text: grid(320, wave, false) },
  ];
}

/** Asks what an open page asks, so many times a second. @returns what was taken by each answer, and how to stop */
function asking(installation, paths, aSecond) {
  const taken = [];
  let failed = 0;
  let k = 0;
  const timer = setInterval(() => {
    const path = paths[k++ % paths.length];
    const started = performance.now();
    fetch(`${installation.base}${path}`)
      .then(async (response) => {
        await response.arrayBuffer();
        if (!response.ok) failed++;
        taken.push({ path, ms: performance.now() - started });
      })
      .catch(() => failed++);
  }, 1000 / aSecond);
  const told = (of) => {
    const ms = taken.filter(({ path }) => of === undefined || path === of).map((t) => t.ms);
    return `half within ${quantile(ms, 0.5).toFixed(0)} ms, 95 % within ${quantile(ms, 0.95).toFixed(0)} ms, the slowest ${quantile(ms, 1).toFixed(0)} ms`;
  };
  return { taken, told, failed: () => failed, stop: () => clearInterval(timer) };
}
const quantile = (numbers, q) => [...numbers].sort((a, b) => a - b)[Math.min(numbers.length - 1, Math.floor(q * numbers.length))];

async function tiles() {
  const size = Number(process.env.DRILL_SIZE ?? 2048);
  const installation = new Installation(`drill_${randomBytes(4).toString('hex')}`);
  installation.embedded = 'no';
  installation.level = 0; // no demo
  await installation.startDatabase();
  await installation.create();
  await installation.startServer();
  const first = await installation.startWorker(1);
  const second = await installation.startWorker(1);
  const files = [];
  for (const { name, text } of tiledSheet()) {
    const response = await fetch(`${installation.base}/api/uploads?name=${name}`, { method: 'PUT', body: text });
    files.push({ name, hash: (await response.json()).hash });
  }
  await ended(installation, [(await installation.json('/assets', 'POST', { name: 'Sheet', unit: 'cm', up: 'z', files })).id]);
  const [{ id: assetId }] = await installation.json('/assets');
  const asset = await installation.json(`/assets/${assetId}`);
  console.log(`${asset.tiles.length} tiles, sculpt level ${asset.stackKind} at ${asset.levels - 1}`);
  // what a page asks most, and now and then the whole asset
  const paths = [
    '/api/jobs',
    '/api/assets',
    '/api/jobs',
    '/api/recipes',
    '/api/jobs',
    '/api/assets',
    '/api/jobs',
    `/api/assets/${assetId}`,
  ];
  const alone = asking(installation, paths, 100);
  await sleep(5000);
  alone.stop();
  console.log(`${alone.taken.length} requests while nothing else is done: ${alone.told()}`);
  const started = Date.now();
  const { id } = await installation.json(`/assets/${assetId}/spans`, 'POST', { ...settings, toLevel: 3, size, kinds: ['scalar'] });
  const job = async () => (await retry(() => installation.json('/jobs'))).find((j) => j.id === id);
  const until = async (done) => {
    for (;;) {
      const now = await job();
      if (done(now)) return now;
      await sleep(300);
    }
  };
  await until((j) => j.tasksDone >= 5);
  const page = asking(installation, paths, 100);
  await until((j) => j.tasksDone >= 20);
  await installation.json(`/jobs/${id}/pause`, 'POST');
  await sleep(20_000);
  const paused = await job();
  await sleep(10_000);
  console.log(`paused at ${paused.tasksDone} tiles, ten seconds later ${(await job()).tasksDone}: ${(await job()).state}`);
  await installation.json(`/jobs/${id}/resume`, 'POST');
  await until((j) => j.tasksDone >= 40);
  first.kill('SIGKILL');
  console.log('one worker killed');
  await ended(installation, [id]);
  page.stop();
  const seconds = Math.round((Date.now() - started) / 1000);
  const [stored] = await installation.query(`select count(*)::int n, sum((info ->> 'bytes')::bigint)::bigint bytes from field`);
  const attempts = (await installation.query(`select sum(attempts)::int n from task where job_id = '${id}'`))[0].n;
  const storage = await installation.json('/storage');
  console.log(
    `${stored.n} fields at ${size}, ${seconds} s with 30 s of pause, ${attempts} attempts; ${(Number(stored.bytes) / 1e6).toFixed(0)} MB of fields, database ${(storage.databaseBytes / 1e6).toFixed(0)} MB, ${storage.freeableBytes} bytes nobody needs`,
  );
  console.log(`${page.taken.length} requests meanwhile, ${page.failed()} failed: ${page.told()}`);
  for (const path of new Set(paths)) console.log(`  ${path}: ${page.told(path)}`);
  for (const worker of [first, second]) worker.kill('SIGKILL');
  await installation.killServer();
  if (stored.n !== asset.tiles.length || page.failed() > 0) process.exitCode = 1;
}

async function load() {
  const [uploads, megabytes] = [50, 40];
  const installation = new Installation(`drill_${randomBytes(4).toString('hex')}`);
  // the worker's memory is not the server's
  installation.embedded = 'no';
  await installation.startDatabase();
  await installation.create();
  await installation.startServer();
  await installation.startWorker();
  await sleep(30_000); // the demo is made first
  const rss = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${installation.server.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
  const before = rss();
  const assets = await installation.json('/assets');
  const [idle, unread] = [200, 20];
  const { port } = new URL(installation.base);
  const listeners = Array.from({ length: idle + unread }, (_, k) => {
    const socket = connect(Number(port), '127.0.0.1', () => socket.write(`GET /api/events HTTP/1.1\r\nHost: 127.0.0.1:${port}\r\n\r\n`));
    if (k < unread) socket.pause();
    else socket.resume();
    socket.on('error', () => undefined);
    return socket;
  });
  await sleep(1000);
  const listening = rss();
  for (const { id } of assets.filter((a) => a.levels > settings.toLevel))
    await installation.json(`/assets/${id}/spans`, 'POST', { ...settings, size: 4096, kinds: ['scalar', 'normal'] });
  let most = listening;
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
  for (const socket of listeners) socket.destroy();
  console.log(
    `server memory ${before.toFixed(0)} MiB before, ${listening.toFixed(0)} MiB with ${idle} pages that listen and ${unread} that do not read, at most ${most.toFixed(0)} MiB meanwhile; ${stored.n} blobs in the database`,
  );
  await installation.killWorker();
  await installation.killServer();
  if (answers.some((a) => a.status !== 201)) process.exitCode = 1;
}

try {
  await ({ load, workers, tiles }[process.argv[2]] ?? kill)();
} finally {
  pgScript('stop');
}
process.exit();
