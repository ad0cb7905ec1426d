import type { Transaction } from 'sequelize';
import type { Jobs } from '../repositories/jobs';
import type { LightStates } from '../repositories/light-states';
import { partChange } from './payloads';

interface Ports {
  readonly jobs: Jobs;
  readonly lightStates: LightStates;
}

/** Whether the part that a job changes is still what the change was made from. Jobs that change no part pass.
 *  @param transaction holds the part so until its end
 *  @throws AppError NOT_FOUND, CONFLICT */
export async function requireMadeFrom({ jobs, lightStates }: Ports, payload: unknown, transaction?: Transaction): Promise<void> {
  const { data: change } = partChange.safeParse(payload);
  if (change === undefined) return;
  const before = change.after === null ? undefined : partChange.safeParse(await jobs.payloadOf(change.after, transaction)).data;
  await lightStates.requireState(change.partId, before?.madeTo ?? change.madeFrom, transaction);
}

/** Keeps what a change has made, for those that wait to be made from it. */
export async function keepMadeTo({ jobs, lightStates }: Ports, id: string, payload: unknown, transaction: Transaction): Promise<void> {
  const { data: change } = partChange.safeParse(payload);
  if (change === undefined || change.madeFrom === null) return;
  const madeTo = await lightStates.stampOf(change.partId, transaction);
  await jobs.setPayload(id, { ...(payload as object), madeTo }, transaction);
}
