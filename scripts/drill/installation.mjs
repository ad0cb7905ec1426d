import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';

const root = new URL('../..', import.meta.url).pathname;
const folder = process.env.DRILL_DIR ?? join(tmpdir(), 'estampe-drill');
export const sleep = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
export const pgScript = (...args) => spawnSync('bash', ['scripts/pg.sh', folder, ...args], { cwd: root, encoding: 'utf8' });

/** A database cluster and a server on it, both of which can be killed and started again. */
export class Installation {
  constructor() {
    this.database = `drill_${randomBytes(4).toString('hex')}`;
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
  /** A database, a server on it, and a worker of its own: what either takes is not the other's. */
  async startApart() {
    this.embedded = 'no';
    await this.startDatabase();
    await this.create();
    await this.startServer();
    await this.startWorker();
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
