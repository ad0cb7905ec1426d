import type { JobInfo, ServerEvent } from '@estampe/contracts';
import { EstampeError } from '@estampe/core';
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import type { Database } from '../db/connect';
import { sentenceOfDatabase } from '../db/driver-errors';
import type { JobRow } from '../db/models';
import { AppError } from '../http/app-error';
import type { JobResult } from '../jobs/job-messages';
import { JobThread } from '../jobs/job-thread';
import type { Claim, Jobs } from '../repositories/jobs';
import { toJobInfo } from '../repositories/jobs';
import type { LightStates } from '../repositories/light-states';
import type { EventSink } from './events';
import type { JobInputs } from './job-inputs';
import type { JobResults } from './job-results';
import type { Needs } from './needs';
import { partChange } from './payloads';
import { pieceEvent } from './piece-event';

const QUEUE = 'press';
/** The queue's own limit; longer than any task, so that our leases decide. */
const EXPIRE_SECONDS = 6 * 3600;
/** A worker looks at the queue anew after this long, also when the book never empties. */
const DRAIN_MS = 3600_000;
const SWEEP_MS = 2500;
/** Tiles are shorter than jobs, and their progress is told through the database. */
const HEARTBEAT_MS = { whole: 2500, tile: 1000 } as const;
/** How long prepared surfaces are kept for a next tile. */
const IDLE_MS = 15_000;
/** How long a finished task tries to store its result while the database is away. */
const STORE_TRIES = 20;
const STORE_PAUSE_MS = 1500;
const SORRY = 'Something went wrong inside Estampe; try again, and keep the server log if it happens twice.';

const NO_MEMORY = 'This needs more memory than there is; take fewer subdivisions or a smaller size, or run it where there is more.';
/** What a thread says when its heap or a large array finds no room. */
const isOutOfMemory = (error: unknown): boolean =>
  error instanceof Error &&
  (('code' in error && error.code === 'ERR_WORKER_OUT_OF_MEMORY') || /allocation failed|Invalid typed array length/.test(error.message));

interface Ports {
  readonly databaseUrl: string;
  readonly db: Database;
  readonly inputs: JobInputs;
  readonly results: JobResults;
  readonly needs: Needs;
  readonly jobs: Jobs;
  readonly lightStates: LightStates;
  readonly events: EventSink;
  readonly log: Logger;
  /** Bundle of `jobs/job.worker.ts`. */
  readonly workerUrl: URL;
  /** Threads that a task may use; all cores when undefined. */
  readonly threads?: number | undefined;
  /** Whether this process takes tasks itself; else it only hands them out. */
  readonly works?: boolean;
}

/** Takes tasks from the book and runs them, one after another; any number of processes may do so on one database. The queue and the wire only
 *  wake a worker; which task it gets, the book says: the first by priority and place that nobody holds a lease on. A task whose worker died is
 *  taken up by the next sweep; results are written in one transaction under their content hash, by whoever still holds the claim. */
export class Press {
  private readonly boss: PgBoss;
  private current: { readonly claim: Claim; readonly thread: JobThread } | null = null;
  /** A thread that has finished a tile and waits for the next one of its pass. */
  private spare: JobThread | null = null;
  private idle: NodeJS.Timeout | null = null;
  private sweeper: NodeJS.Timeout | null = null;
  private draining: Promise<void> | null = null;
  private stopping = false;

  constructor(private readonly ports: Ports) {
    this.boss = new PgBoss({ connectionString: ports.databaseUrl, schema: 'pgboss', max: 4 });
    this.boss.on('error', (error) => ports.log.warn({ err: error }, 'queue'));
  }

  private get works(): boolean {
    return this.ports.works ?? true;
  }

  async start(): Promise<void> {
    await this.boss.start();
    await this.boss.createQueue(QUEUE, { name: QUEUE, expireInSeconds: EXPIRE_SECONDS, retentionMinutes: 60 });
    if (this.works) await this.boss.work(QUEUE, { batchSize: 1, pollingIntervalSeconds: 0.5 }, () => this.drain());
    this.sweeper = setInterval(() => void this.sweep(), SWEEP_MS);
    await this.sweep();
  }

  /** Puts a job on the queue. Losing this message is harmless: the sweep finds the job. */
  async enqueue(job: JobRow): Promise<void> {
    this.announce(job);
    await this.boss
      .send(QUEUE, { jobId: job.id }, { singletonKey: job.id })
      .catch((error: unknown) => this.ports.log.warn({ err: error }, 'enqueue'));
  }

  async cancel(id: string): Promise<JobInfo> {
    const row = await this.ports.jobs.cancel(id);
    if (row.state === 'cancelled') this.drop(id);
    return this.told(row);
  }
  async pause(id: string): Promise<JobInfo> {
    return this.told(await this.ports.jobs.pause(id));
  }
  async resume(id: string): Promise<JobInfo> {
    return this.woken(await this.ports.jobs.resume(id));
  }
  /** A change of a part is asked for anew, of what the part is now. */
  async retry(id: string): Promise<JobInfo> {
    const { jobs, lightStates } = this.ports;
    return this.woken(
      await jobs.retry(id, async (payload, transaction) => {
        const { data: change } = partChange.safeParse(payload);
        if (change?.madeFrom == null) return payload;
        return { ...(payload as object), madeFrom: await lightStates.stampOf(change.partId, transaction), after: null };
      }),
    );
  }
  async setPriority(id: string, priority: number): Promise<JobInfo> {
    return this.told(await this.ports.jobs.setPriority(id, priority));
  }
  async first(id: string): Promise<JobInfo> {
    return this.told(await this.ports.jobs.first(id));
  }

  /** What another process has told: a job of ours that was cancelled there stops at once; one that waits there may be for us. */
  heard(event: ServerEvent): void {
    if (event.type !== 'job') return;
    if (event.job.state === 'cancelled') this.drop(event.job.id);
    else if (event.job.state === 'waiting' && this.works) void this.drain();
  }

  /** No new work; what runs is given back to be done again. */
  async stop(): Promise<void> {
    this.stopping = true;
    if (this.sweeper) clearInterval(this.sweeper);
    this.closeSpare();
    const { current } = this;
    if (current) {
      current.thread.cancel();
      await this.ports.jobs.release(current.claim).catch(() => undefined);
    }
    await this.boss.stop({ graceful: false, wait: false }).catch(() => undefined);
  }

  private drop(jobId: string): void {
    if (this.current?.claim.job.id === jobId) this.current.thread.cancel();
  }

  private async sweep(): Promise<void> {
    try {
      for (const id of await this.ports.jobs.orphans())
        await this.boss.send(QUEUE, { jobId: id }, { singletonKey: id, singletonSeconds: 4 });
    } catch (error) {
      this.ports.log.warn({ err: error }, 'sweep');
    }
  }

  private announce(row: JobRow): void {
    this.ports.events.send({ type: 'job', job: toJobInfo(row) });
  }
  private told(row: JobRow): JobInfo {
    this.announce(row);
    return toJobInfo(row);
  }
  private async woken(row: JobRow): Promise<JobInfo> {
    await this.enqueue(row);
    return toJobInfo(row);
  }

  /** Works off the book until nothing is free in it; one at a time in a process, whoever wakes it. */
  private drain(): Promise<void> {
    this.draining ??= (async () => {
      const until = Date.now() + DRAIN_MS;
      try {
        while (!this.stopping && Date.now() < until) {
          const claim = await this.ports.jobs.claim((row) => this.announce(row));
          if (claim === null) break;
          await this.take(claim);
        }
      } catch (error) {
        this.ports.log.warn({ err: error }, 'the book could not be read; the sweep will wake us again');
      } finally {
        this.draining = null;
      }
    })();
    return this.draining;
  }

  private async take(claim: Claim): Promise<void> {
    const { log } = this.ports;
    this.announce(claim.job);
    try {
      await this.storeWithPatience(claim, await this.compute(claim));
    } catch (error) {
      if (this.stopping) return;
      await this.fail(claim, error).catch((e: unknown) =>
        log.warn({ err: e }, 'the end of a task could not be written; it will be run again'),
      );
    }
  }

  private async fail(claim: Claim, error: unknown): Promise<void> {
    const { jobs, log, db } = this.ports;
    const expected = error instanceof EstampeError || error instanceof AppError;
    const message = expected ? error.message : isOutOfMemory(error) ? NO_MEMORY : (sentenceOfDatabase(error) ?? SORRY);
    const mine = await db.sequelize.transaction((transaction) => jobs.end(claim, 'failed', message, transaction));
    if (!mine) return;
    if (!expected) log.error({ err: error, job: claim.job.id, tile: claim.tile }, 'task failed');
    this.announce(await jobs.get(claim.job.id));
  }

  private async compute(claim: Claim): Promise<JobResult> {
    const { job, tile } = claim;
    const { events, jobs, log, workerUrl, threads } = this.ports;
    await this.ports.needs.ofJob(job);
    const input = await this.ports.inputs.load(job, tile, (key) => this.spare?.holds(key) ?? false);
    const thread = this.threadFor(input.kind === 'extract' ? input.key : null) ?? new JobThread(workerUrl, threads);
    let [fraction, stage] = [0, 'starting'];
    const alone = job.tasks === 1;
    this.current = { claim, thread };
    const renew = (): void =>
      void jobs
        .renew(claim, fraction, stage)
        .then((row) => {
          if (row === null) thread.cancel();
          else if (!alone) this.announce(row);
        })
        .catch((error: unknown) => log.warn({ err: error }, 'heartbeat'));
    const heartbeat = setInterval(renew, alone ? HEARTBEAT_MS.whole : HEARTBEAT_MS.tile);
    try {
      const result = await thread.run(input, {
        onProgress: (f, s) => {
          [fraction, stage] = [f, s];
          // the progress of several tiles is known to the database only
          if (alone) this.announce(Object.assign(job, { fraction, stage }));
        },
        onPiece: (piece) => events.send(pieceEvent(job, piece)),
        file: (hash) => this.ports.inputs.file(hash),
      });
      if (result.kind === 'extract') this.keep(thread);
      else thread.close();
      return result;
    } catch (error) {
      thread.close();
      throw error;
    } finally {
      clearInterval(heartbeat);
      this.current = null;
    }
  }

  private threadFor(key: string | null): JobThread | null {
    const { spare } = this;
    if (key !== null && spare?.holds(key)) {
      this.spare = null;
      return spare;
    }
    this.closeSpare();
    return null;
  }
  private keep(thread: JobThread): void {
    this.closeSpare();
    this.spare = thread;
    this.idle = setTimeout(() => this.closeSpare(), IDLE_MS);
    this.idle.unref();
  }
  private closeSpare(): void {
    if (this.idle) clearTimeout(this.idle);
    this.spare?.close();
    this.spare = null;
  }

  /** A database that restarts must not cost the work that is already done. */
  private async storeWithPatience(claim: Claim, result: JobResult): Promise<void> {
    const id = claim.job.id;
    for (let attempt = 1; ; attempt++) {
      try {
        await this.ports.results.store(claim, result);
        break;
      } catch (error) {
        // only the database may be better the next time
        if (attempt >= STORE_TRIES || sentenceOfDatabase(error) === null || this.stopping) throw error;
        this.ports.log.warn({ err: error, job: id }, 'storing a result failed; trying again');
        await new Promise((resolve) => setTimeout(resolve, STORE_PAUSE_MS));
      }
    }
    const after = await this.ports.jobs.get(id);
    this.announce(after);
    if (after.assetId) this.ports.events.send({ type: 'asset', assetId: after.assetId });
  }
}
