import type { AssetDetail, JobInfo } from '@estampe/contracts';
import type { Transaction } from 'sequelize';
import type { Database } from '../../db/connect';
import { AppError } from '../../http/app-error';
import type { SideThread } from '../../jobs/side-thread';
import type { Repositories } from '../../repositories/all';
import { toJobInfo } from '../../repositories/jobs';
import type { Events } from '../events';
import type { Needs } from '../needs';
import type { Press } from '../press';

/** What the steps stand on. */
export interface StepPorts extends Repositories {
  readonly db: Database;
  readonly press: Press;
  readonly events: Events;
  readonly needs: Needs;
  readonly side: SideThread;
}
type NewJob = Parameters<Repositories['jobs']['create']>[0];

/** Puts a job on the press. */
export async function order({ jobs, press }: StepPorts, job: NewJob, payload: unknown): Promise<JobInfo> {
  const row = await jobs.create(job, payload);
  await press.enqueue(row);
  return toJobInfo(row);
}

/** A change of a part. */
interface Edit {
  readonly kind: NewJob['kind'];
  readonly title: string;
  /** The stamp of the state that it was made from; null for what the part is now. */
  readonly seen: string | null;
  readonly payload: object;
}

/** Puts a job on the press unless an equal one is there, which is joined. Whoever asks for work on a part comes one after the other. */
export async function orderOnce(
  { db, assets, jobs, press }: StepPorts,
  partId: string,
  job: NewJob,
  payloadIn: (transaction: Transaction) => Promise<object>,
): Promise<JobInfo> {
  const { row, isNew } = await db.sequelize.transaction(async (transaction) => {
    await assets.lockPart(partId, transaction);
    const payload = await payloadIn(transaction);
    const open = await jobs.openLike(job, payload, transaction);
    return open === null ? { row: await jobs.create(job, payload, transaction), isNew: true } : { row: open, isNew: false };
  });
  if (isNew) await press.enqueue(row);
  return toJobInfo(row);
}

/** Puts a change of a part on the press, with the state that it was made from: when its turn comes the part must still be so. Islands are placed
 *  one by one faster than they are stored, each where the last one was dropped: such a change is made from what the one before it makes.
 *  @throws AppError CONFLICT where it is another already */
export function orderEdit(ports: StepPorts, asset: AssetDetail, { seen, payload, ...job }: Edit): Promise<JobInfo> {
  const { id: partId } = asset.part;
  return orderOnce(ports, partId, { ...job, assetId: asset.id }, async (transaction) => {
    await ports.lightStates.requireState(partId, seen, transaction);
    const madeFrom = await ports.lightStates.stampOf(partId, transaction);
    return {
      ...payload,
      partId,
      madeFrom,
      after: job.kind === 'islands' ? await ports.jobs.lastOpen(job.kind, partId, transaction) : null,
    };
  });
}

/** @throws AppError NOT_FOUND */
export async function requireUpload({ blobs }: StepPorts, { hash, name }: { readonly hash: string; readonly name: string }): Promise<void> {
  if ((await blobs.find(hash)) === null) throw new AppError('NOT_FOUND', `${name} has not arrived; drop it again.`);
}
