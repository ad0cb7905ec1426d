import type { JobInfo } from '@estampe/contracts';
import { QueryTypes } from 'sequelize';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import type { JobRow } from '../db/models';
import { AppError } from '../http/app-error';

/** How long a worker may be silent before its job is taken up again. */
export const LEASE_SECONDS = 10;

const iso = (d: Date | null | undefined): string | null => d?.toISOString() ?? null;

export function toJobInfo(row: JobRow): JobInfo {
  const { id, kind, title, state, fraction, stage, error, assetId, spanId } = row;
  return {
    id, kind, title, state, fraction, stage, error: error ?? null, assetId: assetId ?? null, spanId: spanId ?? null,
    createdAt: row.createdAt.toISOString(), startedAt: iso(row.startedAt), endedAt: iso(row.endedAt),
  }; // prettier-ignore
}

/** The press's book: what waits, runs and is done. The queue only says when to look into it. */
export class Jobs {
  constructor(private readonly db: Database) {}

  create(
    job: Pick<JobInfo, 'kind' | 'title'> & Partial<Pick<JobInfo, 'assetId' | 'spanId'>>,
    payload: unknown,
    transaction?: Transaction,
  ): Promise<JobRow> {
    return this.db.models.Job.create(
      { ...job, state: 'waiting', payload, fraction: 0, stage: '', attempts: 0 },
      transaction ? { transaction } : {},
    );
  }

  async get(id: string): Promise<JobRow> {
    const row = await this.db.models.Job.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That job is not here any more.');
    return row;
  }

  async list(limit = 50): Promise<JobInfo[]> {
    return (await this.db.models.Job.findAll({ order: [['createdAt', 'DESC']], limit })).map(toJobInfo);
  }

  /** Takes a job that waits, or whose worker has gone silent; null when somebody else has it or it has ended. */
  async claim(id: string): Promise<JobRow | null> {
    const rows = await this.db.sequelize.query<{ id: string }>(
      `update job set state = 'running', leased_until = now() + interval '${LEASE_SECONDS} seconds', started_at = now(), attempts = attempts + 1,
              fraction = 0, stage = '', error = null
        where id = $1 and (state = 'waiting' or (state = 'running' and leased_until < now())) returning id`,
      { bind: [id], type: QueryTypes.SELECT },
    );
    return rows.length === 0 ? null : this.get(id);
  }

  /** Says that the worker lives; false when the job is no longer its own (cancelled, or taken up by another). */
  async renew(id: string, attempt: number, fraction: number, stage: string): Promise<boolean> {
    const rows = await this.db.sequelize.query<{ id: string }>(
      `update job set leased_until = now() + interval '${LEASE_SECONDS} seconds', fraction = $3, stage = $4
        where id = $1 and state = 'running' and attempts = $2 returning id`,
      { bind: [id, attempt, fraction, stage], type: QueryTypes.SELECT },
    );
    return rows.length > 0;
  }

  async end(id: string, state: 'done' | 'failed' | 'cancelled', error: string | null, transaction?: Transaction): Promise<void> {
    await this.db.models.Job.update(
      { state, error, endedAt: new Date(), leasedUntil: null, ...(state === 'done' ? { fraction: 1 } : {}) },
      { where: { id }, ...(transaction ? { transaction } : {}) },
    );
  }

  async setAsset(id: string, assetId: string, transaction: Transaction): Promise<void> {
    await this.db.models.Job.update({ assetId }, { where: { id }, transaction });
  }

  /** Gives a job back as if it had not been started. */
  async release(id: string): Promise<void> {
    await this.db.models.Job.update({ state: 'waiting', leasedUntil: null, fraction: 0, stage: '' }, { where: { id, state: 'running' } });
  }

  /** Jobs that nobody works on: waiting ones, and running ones whose lease ran out. */
  async orphans(): Promise<string[]> {
    const rows = await this.db.sequelize.query<{ id: string }>(
      `select id from job where state = 'waiting' or (state = 'running' and leased_until < now()) order by created_at`,
      { type: QueryTypes.SELECT },
    );
    return rows.map((r) => r.id);
  }
}
