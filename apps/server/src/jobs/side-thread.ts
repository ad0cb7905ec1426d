import { Worker } from 'node:worker_threads';
import type { GroupsInfo } from '@estampe/contracts';
import type { ErrorRecord, SceneFacts } from '@estampe/core';
import { rebuildError } from '@estampe/core';
import type { PackedLight } from './light-mesh';

/** What is asked for besides jobs, and waited for. */
export type SideWish =
  /** The islands of one tile as a picture; null where the tile has none. @property size texels of a side */
  | { readonly what: 'layout'; readonly light: PackedLight; readonly size: number; readonly tile: number }
  /** A level as a file. @property light the light mesh where its groups were made here */
  | { readonly what: 'mesh'; readonly level: Uint8Array; readonly light: (PackedLight & { readonly groups: GroupsInfo }) | null; readonly name: string; readonly scene: SceneFacts }; // prettier-ignore
export type SideAnswer = { readonly bytes: Uint8Array | null } | { readonly error: ErrorRecord };

/** Draws pictures and writes files, one after another, in threads of their own: a large one takes more than a second, and others must be answered
 *  meanwhile. */
export class SideThread {
  private last: Promise<unknown> = Promise.resolve();

  /** @param url bundle of `side.worker.ts` */
  constructor(private readonly url: URL) {}

  ask(wish: SideWish): Promise<Uint8Array | null> {
    const mine = this.last.catch(() => undefined).then(() => this.run(wish));
    this.last = mine;
    return mine;
  }

  private run(wish: SideWish): Promise<Uint8Array | null> {
    return new Promise((resolve, reject) => {
      const worker = new Worker(this.url, { workerData: wish });
      worker.once('message', (answer: SideAnswer) => ('bytes' in answer ? resolve(answer.bytes) : reject(rebuildError(answer.error))));
      worker.once('error', reject);
      worker.once('exit', () => reject(new Error('the thread that draws and writes ended unexpectedly')));
    });
  }
}
