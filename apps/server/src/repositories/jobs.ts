import type { JobInfo } from '@estampe/contracts';
import type { Transaction } from 'sequelize';
import { QueryTypes } from 'sequelize';
import { isDeepStrictEqual } from 'node:util';
import type { Database } from '../db/connect';
import type { JobRow } from '../db/models';
import { AppError } from '../http/app-error';

/** How long a worker may be silent before its task is taken up again. */
export const LEASE_SECONDS = 10;
/** The tile of a task that is the whole of its job. */
export const WHOLE = 0;

const LEASE = `now() + interval '${LEASE_SECONDS} seconds'`;
/** A task that nobody works on, of a job that may go on. */
const FREE = `(t.state = 'waiting' or (t.state = 'running' and t.leased_until < now())) and j.state in ('waiting', 'running')`;
const OPEN: ReadonlySet<JobInfo['state']> = new Set<JobInfo['state']>(['waiting', 'running', 'paused']);
/** A task over which so many workers died is not given to another. */
const MOST_DEATHS = 3;
const DIED = `Its worker ended ${MOST_DEATHS} times in the middle of it, most likely for want of memory; take fewer subdivisions or a smaller size, or run it where there is more.`;
const iso = (d: Date | null | undefined): string | null => d?.toISOString() ?? null;

/** Jobs that carry which part they are about. */
const OF_PART: ReadonlySet<JobInfo['kind']> = new Set<JobInfo['kind']>([
  'import',
  'low',
  'unwrap',
  'islands',
  'mend',
  'split',
  'transfer',
  'levels',
]);

export function toJobInfo(row: JobRow): JobInfo {
  const { id, kind, title, state, fraction, stage, error, assetId, spanId, priority, tasks, tasksDone, payload } = row;
  const { partId = null } = OF_PART.has(kind) ? (payload as { partId?: string | null }) : {};
  return {
    id, kind, title, state, fraction, stage, error: error ?? null, assetId: assetId ?? null, partId, spanId: spanId ?? null, priority, tasks, tasksDone,
    createdAt: row.createdAt.toISOString(), startedAt: iso(row.startedAt), endedAt: iso(row.endedAt),
  }; // prettier-ignore
}

/** One worker's claim on a task: its number tells it from whoever had the task before. */
export interface Claim {
  readonly job: JobRow;
  readonly tile: number;
  readonly attempt: number;
}
type NewJob = Pick<JobInfo, 'kind' | 'title'> & Partial<Pick<JobInfo, 'assetId' | 'spanId'>> & { readonly tiles?: readonly number[] };

/** The press's book: what waits, runs and is done, in which order. A job is one task, or one a tile; workers claim tasks, with leases; the
 *  job's own row says how far all of them are. The queue only says when to look into the book. */
export class Jobs {
  constructor(private readonly db: Database) {}

  async create({ tiles = [WHOLE], ...job }: NewJob, payload: unknown, transaction?: Transaction): Promise<JobRow> {
    const make = async (own: Transaction): Promise<JobRow> => {
      const row = await this.db.models.Job.create(
        { ...job, state: 'waiting', payload, fraction: 0, stage: '', tasks: tiles.length },
        { transaction: own },
      );
      await this.db.models.Task.bulkCreate(tiles.map((tile) => ({ jobId: row.id, tile })), { transaction: own }); // prettier-ignore
      return row.reload({ transaction: own });
    };
    return transaction ? make(transaction) : this.db.sequelize.transaction(make);
  }

  async get(id: string, transaction?: Transaction): Promise<JobRow> {
    const row = await this.db.models.Job.findByPk(id, transaction ? { transaction } : {});
    if (row === null) throw new AppError('NOT_FOUND', 'That job is not here any more.');
    return row;
  }

  async list(limit = 50): Promise<JobInfo[]> {
    const rows = await this.db.models.Job.findAll({ order: [['createdAt', 'DESC']], limit });
    return rows.map(toJobInfo);
  }

  /** Takes the task that is next: by priority, then by place, then by tile; null when there is none. Two workers never get the same one. One
   *  over which its workers died again and again is ended instead. @param onFailed hears of a job that ended so */
  async claim(onFailed: (row: JobRow) => void = () => undefined): Promise<Claim | null> {
    for (;;) {
      const [found] = await this.db.sequelize.query<{ job_id: string; tile: number; attempts: number; deaths: number }>(
        `update task set state = 'running', leased_until = ${LEASE}, attempts = attempts + 1, fraction = 0, error = null, started_at = now(),
                deaths = deaths + case when state = 'running' then 1 else 0 end
          where (job_id, tile) = (
            select t.job_id, t.tile from job j join task t on t.job_id = j.id where ${FREE}
             order by j.priority desc, j.place, j.created_at, t.tile limit 1 for update of t skip locked)
          returning job_id, tile, attempts, deaths`,
        { type: QueryTypes.SELECT },
      );
      if (!(found as typeof found | undefined)) return null;
      await this.db.sequelize.query(
        `update job set state = 'running', started_at = case when state = 'waiting' or tasks = 1 then now() else started_at end,
                error = null
          where id = $1 and state in ('waiting', 'running')`,
        { bind: [found.job_id] },
      );
      const claim = { job: await this.get(found.job_id), tile: found.tile, attempt: found.attempts };
      if (found.deaths < MOST_DEATHS) return claim;
      await this.db.sequelize.transaction((transaction) => this.end(claim, 'failed', DIED, transaction));
      onFailed(await this.get(found.job_id));
    }
  }

  /** Says that the worker lives and how far it is.
   *  @returns the job with the progress of all its tasks; null when the task is no longer its own (cancelled, or taken up by another) */
  async renew({ job, tile, attempt }: Claim, fraction: number, stage: string): Promise<JobRow | null> {
    const mine = await this.db.sequelize.query(
      `update task set leased_until = ${LEASE}, fraction = $4 where job_id = $1 and tile = $2 and attempts = $3 and state = 'running' returning tile`,
      { bind: [job.id, tile, attempt, fraction], type: QueryTypes.SELECT },
    );
    if (mine.length === 0) return null;
    await this.db.sequelize.query(
      `update job set stage = $2, fraction = (select avg(fraction) from task where job_id = $1) where id = $1 and state in ('running', 'paused')`,
      { bind: [job.id, stage] },
    );
    return this.get(job.id);
  }

  /** Writes the end of a claimed task, and of its job with the last one.
   *  @returns false, and nothing is written, when the task is no longer the claim's own */
  async end({ job, tile, attempt }: Claim, state: 'done' | 'failed', error: string | null, transaction: Transaction): Promise<boolean> {
    // one at a time for a job, or the last two tasks would each take the other for still running
    await this.db.models.Job.findByPk(job.id, { transaction, lock: transaction.LOCK.UPDATE });
    const [ended] = await this.db.models.Task.update(
      { state, error, endedAt: new Date(), leasedUntil: null, ...(state === 'done' ? { fraction: 1 } : {}) },
      { where: { jobId: job.id, tile, attempts: attempt, state: 'running' }, transaction },
    );
    if (ended > 0) await this.sumUp(job.id, transaction);
    return ended > 0;
  }

  async setAsset(id: string, assetId: string, transaction: Transaction): Promise<void> {
    await this.db.models.Job.update({ assetId }, { where: { id }, transaction });
  }

  /** Gives a task back as if it had not been started. */
  async release({ job, tile, attempt }: Claim): Promise<void> {
    await this.db.models.Task.update(
      { state: 'waiting', leasedUntil: null, fraction: 0 },
      { where: { jobId: job.id, tile, attempts: attempt, state: 'running' } },
    );
  }

  /** Ends what waits or runs of a job; what is done stays. */
  cancel(id: string): Promise<JobRow> {
    return this.change(id, async (row, transaction) => {
      if (!OPEN.has(row.state)) return;
      await this.db.models.Task.update(
        { state: 'cancelled', leasedUntil: null, endedAt: new Date() },
        { where: { jobId: id, state: ['waiting', 'running'] }, transaction },
      );
      await this.sumUp(id, transaction);
    });
  }

  /** Starts no more tasks of a job; those under way go on to their end. @throws AppError NOT_READY when nothing of it waits */
  pause(id: string): Promise<JobRow> {
    return this.change(id, async (row, transaction) => {
      const waiting = await this.db.models.Task.count({ where: { jobId: id, state: 'waiting' }, transaction });
      if (!OPEN.has(row.state) || waiting === 0)
        throw new AppError('NOT_READY', `${row.title}: nothing of it waits any more, so there is nothing to hold back.`);
      await row.update({ state: 'paused' }, { transaction });
    });
  }

  resume(id: string): Promise<JobRow> {
    return this.change(id, async (row, transaction) => {
      if (row.state === 'paused') await row.update({ state: row.startedAt == null ? 'waiting' : 'running' }, { transaction });
    });
  }

  /** Runs again what failed or was cancelled of an ended job; what is done is kept.
   *  @param renewed what the job carries this time
   *  @throws AppError NOT_READY */
  retry(
    id: string,
    renewed: (payload: unknown, transaction: Transaction) => Promise<unknown> = (payload) => Promise.resolve(payload),
  ): Promise<JobRow> {
    return this.change(id, async (row, transaction) => {
      const where = { jobId: id, state: ['failed', 'cancelled'] };
      const [again] = OPEN.has(row.state)
        ? [0]
        : await this.db.models.Task.update(
            { state: 'waiting', error: null, fraction: 0, endedAt: null, deaths: 0 },
            { where, transaction },
          );
      if (again === 0) throw new AppError('NOT_READY', `${row.title}: nothing of it has failed or was cancelled.`);
      const payload = await renewed(row.payload, transaction);
      await row.update({ payload, state: 'waiting', error: null, endedAt: null, startedAt: null, stage: '' }, { transaction });
      await this.sumUp(id, transaction);
    });
  }

  /** Puts a job before or after all others that wait. */
  setPriority(id: string, priority: number): Promise<JobRow> {
    return this.change(id, async (row, transaction) => {
      await row.update({ priority }, { transaction });
    });
  }

  /** Puts a job before the others of its priority. */
  first(id: string): Promise<JobRow> {
    return this.change(id, async (row, transaction) => {
      const least = await this.db.models.Job.min<number, JobRow>('place', { transaction });
      await row.update({ place: Math.min(least, row.place) - 1 }, { transaction });
    });
  }

  /** Jobs with tasks that nobody works on. */
  async orphans(): Promise<string[]> {
    const rows = await this.db.sequelize.query<{ id: string }>(
      `select j.id from job j where exists (select 1 from task t where t.job_id = j.id and ${FREE}) order by j.priority desc, j.place`,
      { type: QueryTypes.SELECT },
    );
    return rows.map((r) => r.id);
  }

  /** Whether a part of that name is on its way into an asset. */
  async isComing(assetId: string, name: string, transaction: Transaction): Promise<boolean> {
    const open = await this.db.models.Job.findAll({ where: { kind: 'import', assetId, state: [...OPEN] }, transaction });
    return open.some((row) => (row.payload as { part?: { name: string } }).part?.name === name);
  }

  /** An extraction of one of these spans that has not ended, and whether it does all that is asked for. */
  async openExtraction(
    spanIds: readonly string[],
    transaction: Transaction,
  ): Promise<{ readonly row: JobRow; covers(spanIds: readonly (string | null)[], tiles: readonly number[]): boolean } | null> {
    const open = await this.db.models.Job.findAll({ where: { kind: 'extract', state: [...OPEN] }, transaction });
    const own = (row: JobRow): readonly string[] => (row.payload as { spanIds: readonly string[] }).spanIds;
    const row = open.find((r) => own(r).some((id) => spanIds.includes(id)));
    if (!row) return null;
    const tasks = await this.db.models.Task.findAll({ where: { jobId: row.id }, transaction });
    const tiles = new Set(tasks.map((t) => t.tile));
    return {
      row,
      covers: (spans, wanted) => spans.every((id) => id !== null && own(row).includes(id)) && wanted.every((tile) => tiles.has(tile)),
    };
  }

  /** A job that has not ended and does exactly this for the same asset; null where there is none. */
  async openLike(
    { kind, assetId = null, spanId = null }: Pick<NewJob, 'kind' | 'assetId' | 'spanId'>,
    payload: unknown,
    transaction: Transaction,
  ): Promise<JobRow | null> {
    const open = await this.db.models.Job.findAll({ where: { kind, assetId, spanId, state: [...OPEN] }, transaction });
    const wanted: unknown = JSON.parse(JSON.stringify(payload));
    return open.find((row) => isDeepStrictEqual(row.payload, wanted)) ?? null;
  }

  /** The newest job of a kind that changes a part and has not ended. @returns its id; null where there is none */
  async lastOpen(kind: JobInfo['kind'], partId: string, transaction: Transaction): Promise<string | null> {
    const open = await this.db.models.Job.findAll({
      where: { kind, state: [...OPEN] },
      order: [
        ['createdAt', 'DESC'],
        ['place', 'DESC'],
      ],
      transaction,
    });
    return open.find((row) => (row.payload as { partId?: string }).partId === partId)?.id ?? null;
  }

  /** What a job carries. @returns null for one that is not here */
  async payloadOf(id: string, transaction?: Transaction): Promise<unknown> {
    return (await this.db.models.Job.findByPk(id, transaction ? { transaction } : {}))?.payload ?? null;
  }
  async setPayload(id: string, payload: unknown, transaction: Transaction): Promise<void> {
    await this.db.models.Job.update({ payload }, { where: { id }, transaction });
  }

  private async change(id: string, how: (row: JobRow, transaction: Transaction) => Promise<void>): Promise<JobRow> {
    await this.db.sequelize.transaction(async (transaction) => {
      const row = await this.db.models.Job.findByPk(id, { transaction, lock: transaction.LOCK.UPDATE });
      if (row === null) throw new AppError('NOT_FOUND', 'That job is not here any more.');
      await how(row, transaction);
    });
    return this.get(id);
  }

  /** A job's state from its tasks: it has ended when all of them have, and failed if one did. */
  private async sumUp(id: string, transaction: Transaction): Promise<void> {
    await this.db.sequelize.query(
      `update job set fraction = s.fraction, tasks_done = s.done, error = s.error,
              state = case when s.open > 0 then job.state when s.failed > 0 then 'failed' when s.cancelled > 0 then 'cancelled' else 'done' end,
              ended_at = case when s.open > 0 then null else now() end
         from (select avg(fraction) as fraction, count(*) filter (where state = 'done') as done,
                      count(*) filter (where state in ('waiting', 'running')) as open,
                      count(*) filter (where state = 'failed') as failed, count(*) filter (where state = 'cancelled') as cancelled,
                      (array_agg(case when tile = ${WHOLE} then error else 'Tile ' || tile || ': ' || error end order by tile)
                        filter (where state = 'failed'))[1] as error
                 from task where job_id = $1) s
        where id = $1`,
      { bind: [id], transaction },
    );
  }
}
