import { Worker } from 'node:worker_threads';
import type { ErrorRecord } from '@estampe/core';
import { rebuildError } from '@estampe/core';
import type { PackedLight } from './light-mesh';

export interface LayoutWish {
  readonly light: PackedLight;
  /** Texels of a side. */
  readonly size: number;
  readonly tile: number;
}
export type LayoutAnswer = { readonly png: Uint8Array | null } | { readonly error: ErrorRecord };

/** Draws layout images, one after another, in threads of their own: a large one takes more than a second, and others must be answered meanwhile. */
export class LayoutThread {
  private last: Promise<unknown> = Promise.resolve();

  /** @param url bundle of `layout.worker.ts` */
  constructor(private readonly url: URL) {}

  /** @returns the picture; null where the tile has no islands */
  draw(wish: LayoutWish): Promise<Uint8Array | null> {
    const mine = this.last.catch(() => undefined).then(() => this.run(wish));
    this.last = mine;
    return mine;
  }

  private run(wish: LayoutWish): Promise<Uint8Array | null> {
    return new Promise((resolve, reject) => {
      const worker = new Worker(this.url, { workerData: wish });
      worker.once('message', (answer: LayoutAnswer) => ('png' in answer ? resolve(answer.png) : reject(rebuildError(answer.error))));
      worker.once('error', reject);
      worker.once('exit', () => reject(new Error('the thread that draws layouts ended unexpectedly')));
    });
  }
}
