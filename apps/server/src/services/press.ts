import type { JobInfo, ServerEvent } from '@estampe/contracts';
import { EstampeError } from '@estampe/core';
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import * as z from 'zod';
import type { JobRow } from '../db/models';
import { JobThread } from '../jobs/job-thread';
import type { JobResult } from '../jobs/job-messages';
import type { Jobs } from '../repositories/jobs';
import { toJobInfo } from '../repositories/jobs';
import { AppError } from '../http/app-error';
import type { EventSink } from './events';
import type { JobInputs } from './job-inputs';
import type { JobResults } from './job-results';

const QUEUE = 'press';
/** The queue's own limit; longer than any job, so that our leases decide. */
const EXPIRE_SECONDS = 6 * 3600;
const HEARTBEAT_MS = 2500;
const SWEEP_MS = 2500;
/** How long a finished job tries to store its result while the database is away. */
const STORE_TRIES = 20;
const STORE_PAUSE_MS = 1500;

const queued = z.object({ jobId: z.uuid() });

interface Ports {
  readonly databaseUrl: string;
  readonly inputs: JobInputs;
  readonly results: JobResults;
  readonly jobs: Jobs;
  readonly events: EventSink;
  readonly log: Logger;
  /** Bundle of `jobs/job.worker.ts`. */
  readonly workerUrl: URL;
  /** Whether this process takes jobs itself; else it only hands them out. */
  readonly works?: boolean;
}

/** Takes jobs from the queue and runs them on threads, one after another; any number of processes may do so on one database. The job table, with leases, says who has what: a job whose
 *  worker died is taken up by the next sweep; results are written in one transaction under their content hash. */
export class Press {
  private readonly boss: PgBoss;
  private readonly running = new Map<string, JobThread>();
  private sweeper: NodeJS.Timeout | null = null;
  private stopping = false;

  constructor(private readonly ports: Ports) {
    this.boss = new PgBoss({ connectionString: ports.databaseUrl, schema: 'pgboss', max: 4 });
    this.boss.on('error', (error) => ports.log.warn({ err: error }, 'queue'));
  }

  async start(): Promise<void> {
    await this.boss.start();
    await this.boss.createQueue(QUEUE, { name: QUEUE, expireInSeconds: EXPIRE_SECONDS, retentionMinutes: 60 });
    if (this.ports.works ?? true)
      await this.boss.work(QUEUE, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async ([job]) => {
        const parsed = queued.safeParse(job.data);
        if (parsed.success) await this.take(parsed.data.jobId);
      });
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
    const { jobs } = this.ports;
    const row = await jobs.get(id);
    if (row.state === 'waiting' || row.state === 'running') {
      await jobs.end(id, 'cancelled', null);
      this.running.get(id)?.cancel();
    }
    const after = await jobs.get(id);
    this.announce(after);
    return toJobInfo(after);
  }

  /** What another process has told: a job of ours that was cancelled there stops at once. */
  heard(event: ServerEvent): void {
    if (event.type === 'job' && event.job.state === 'cancelled') this.running.get(event.job.id)?.cancel();
  }

  /** No new work; what runs is given back to be done again. */
  async stop(): Promise<void> {
    this.stopping = true;
    if (this.sweeper) clearInterval(this.sweeper);
    const ids = [...this.running.keys()];
    for (const thread of this.running.values()) thread.cancel();
    await Promise.allSettled(ids.map((id) => this.ports.jobs.release(id)));
    await this.boss.stop({ graceful: false, wait: false }).catch(() => undefined);
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

  private async take(id: string): Promise<void> {
    if (this.stopping) return;
    const { jobs, log } = this.ports;
    const row = await jobs.claim(id);
    if (row === null) return;
    this.announce(row);
    try {
      const result = await this.compute(row);
      await this.storeWithPatience(row, result);
    } catch (error) {
      if (this.stopping) return;
      await this.fail(row, error).catch((e: unknown) =>
        log.warn({ err: e }, 'the end of a job could not be written; it will be run again'),
      );
    }
  }

  private async fail(row: JobRow, error: unknown): Promise<void> {
    const { jobs, log } = this.ports;
    const current = await jobs.get(row.id);
    if (current.state === 'cancelled' || current.attempts !== row.attempts) return;
    const expected = error instanceof EstampeError || error instanceof AppError;
    if (!expected) log.error({ err: error, job: row.id }, 'job failed');
    await jobs.end(
      row.id,
      'failed',
      expected ? error.message : 'Something went wrong inside Estampe; try again, and keep the server log if it happens twice.',
    );
    this.announce(await jobs.get(row.id));
  }

  private async compute(row: JobRow): Promise<JobResult> {
    const { jobs, log, workerUrl } = this.ports;
    const input = await this.ports.inputs.load(row);
    let fraction = 0;
    let stage = 'starting';
    const thread = new JobThread(workerUrl, input, (f, s) => {
      [fraction, stage] = [f, s];
      this.announce(Object.assign(row, { fraction, stage }));
    });
    this.running.set(row.id, thread);
    const heartbeat = setInterval(() => {
      jobs
        .renew(row.id, row.attempts, fraction, stage)
        .then((mine) => {
          if (!mine) thread.cancel();
        })
        .catch((error: unknown) => log.warn({ err: error }, 'heartbeat'));
    }, HEARTBEAT_MS);
    try {
      return await thread.result;
    } finally {
      clearInterval(heartbeat);
      this.running.delete(row.id);
    }
  }

  /** A database that restarts must not cost the work that is already done. */
  private async storeWithPatience(row: JobRow, result: JobResult): Promise<void> {
    for (let attempt = 1; ; attempt++) {
      try {
        await this.ports.results.store(row, result);
        break;
      } catch (error) {
        if (attempt >= STORE_TRIES || error instanceof AppError || this.stopping) throw error;
        this.ports.log.warn({ err: error, job: row.id }, 'storing a result failed; trying again');
        await new Promise((resolve) => setTimeout(resolve, STORE_PAUSE_MS));
      }
    }
    const after = await this.ports.jobs.get(row.id);
    this.announce(after);
    if (after.assetId) this.ports.events.send({ type: 'asset', assetId: after.assetId });
  }
}
