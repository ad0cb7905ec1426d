import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { Kernel, RunControl, Threads } from '@estampe/core';
import { CancelledError, rebuildError } from '@estampe/core';
import type { FromKernel, ToKernel } from './kernel.worker';

/** How soon a stop is seen. */
const WATCH_MS = 100;

/** The core's threads on worker threads. Workers start with the first run and stay until `close`. */
export class ThreadPool implements Threads {
  readonly allocate = (byteLength: number): SharedArrayBuffer => new SharedArrayBuffer(byteLength);
  private readonly workers: Worker[] = [];
  private busy: Promise<void> = Promise.resolve();

  /** @param workerUrl bundle of `kernel.worker.ts` */
  constructor(
    private readonly workerUrl: URL,
    readonly count: number = availableParallelism(),
  ) {}

  /** Runs one set of tasks; a second call waits for the first. */
  run<S, T, R>(
    kernel: Kernel<S, T, R>,
    shared: S,
    tasks: readonly T[],
    onResult: (result: R, index: number) => void,
    control?: RunControl,
  ): Promise<void> {
    const mine = this.busy.then(() => this.runNow(kernel, shared, tasks, onResult, control));
    this.busy = mine.catch(() => undefined);
    return mine;
  }

  private async runNow<S, T, R>(
    kernel: Kernel<S, T, R>,
    shared: S,
    tasks: readonly T[],
    onResult: (result: R, index: number) => void,
    control?: RunControl,
  ): Promise<void> {
    while (this.workers.length < Math.min(this.count, tasks.length)) this.workers.push(new Worker(this.workerUrl));
    let next = 0;
    let done = 0;
    let stopped = false;
    const ends = new Set<(error: Error) => void>();
    const lane = (worker: Worker): Promise<void> =>
      new Promise((resolve, reject) => {
        const finish = (error?: Error): void => {
          ends.delete(finish);
          worker.off('message', onMessage).off('error', onError).off('exit', onExit);
          if (error) {
            stopped = true;
            reject(error);
          } else resolve();
        };
        ends.add(finish);
        const send = (): void => {
          if (control?.signal?.aborted === true) finish(new CancelledError());
          else if (stopped || next >= tasks.length) finish();
          else {
            const index = next++;
            worker.postMessage({ type: 'task', index, task: tasks[index] } satisfies ToKernel);
          }
        };
        const onMessage = (message: FromKernel): void => {
          if ('error' in message) {
            finish(rebuildError(message.error));
            return;
          }
          onResult(message.result as R, message.index);
          control?.onProgress?.(++done / tasks.length, kernel.name);
          send();
        };
        const onError = (error: Error): void => finish(error);
        const onExit = (): void => finish(new Error('a worker thread ended unexpectedly'));
        worker.on('message', onMessage).on('error', onError).on('exit', onExit);
        worker.postMessage({ type: 'shared', kernel: kernel.name, shared } satisfies ToKernel);
        send();
      });
    // a task may take longer than anybody waits: workers that are busy with what nobody wants are ended, and others start with the next run
    const watch = setInterval(() => {
      if (control?.signal?.aborted !== true) return;
      clearInterval(watch);
      for (const end of [...ends]) end(new CancelledError());
      void this.close();
    }, WATCH_MS);
    const lanes = await Promise.allSettled(this.workers.slice(0, Math.max(1, Math.min(this.count, tasks.length))).map(lane));
    clearInterval(watch);
    if (control?.signal?.aborted === true) throw new CancelledError();
    const failed = lanes.find((l) => l.status === 'rejected');
    if (failed?.status === 'rejected') throw failed.reason as Error;
  }

  async close(): Promise<void> {
    await Promise.all(this.workers.splice(0).map((w) => w.terminate()));
  }
}
