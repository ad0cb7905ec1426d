import { Worker } from 'node:worker_threads';
import { CancelledError, rebuildError } from '@estampe/core';
import type { FromJobThread, JobInput, JobResult, ToJobThread } from './job-messages';

/** Time for a cancelled job to stop by itself before its thread is ended. */
const GRACE_MS = 700;

/** One job on a thread of its own. */
export class JobThread {
  readonly result: Promise<JobResult>;
  private readonly worker: Worker;
  private readonly cancelled = new Int32Array(new SharedArrayBuffer(4));
  private ended = false;

  constructor(workerUrl: URL, input: JobInput, onProgress: (fraction: number, stage: string) => void) {
    this.worker = new Worker(workerUrl);
    this.result = new Promise<JobResult>((resolve, reject) => {
      this.worker.on('message', (message: FromJobThread) => {
        if (message.type === 'progress') onProgress(message.fraction, message.stage);
        else if (message.type === 'result') resolve(message.result);
        else reject(rebuildError(message.error));
      });
      this.worker.on('error', reject);
      this.worker.on('exit', () => {
        this.ended = true;
        reject(Atomics.load(this.cancelled, 0) === 0 ? new Error('the job thread ended unexpectedly') : new CancelledError());
      });
    }).finally(() => void this.worker.terminate());
    this.result.catch(() => undefined); // whoever awaits it hears of it; nobody may have yet
    this.worker.postMessage({ input, cancelled: this.cancelled } satisfies ToJobThread);
  }

  /** Asks the thread to stop, and ends it when it does not. */
  cancel(): void {
    Atomics.store(this.cancelled, 0, 1);
    setTimeout(() => {
      if (!this.ended) void this.worker.terminate();
    }, GRACE_MS).unref();
  }
}
