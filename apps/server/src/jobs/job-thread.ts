import { Worker } from 'node:worker_threads';
import { CancelledError, rebuildError } from '@estampe/core';
import { LaneFeed } from './file-lane';
import type { FromJobThread, JobInput, JobResult, PieceOfTile, ToJobThread } from './job-messages';
import { threadData } from './job-messages';

/** Time for a cancelled job to stop by itself before its thread is ended. */
const GRACE_MS = 700;

/** A file as it is stored. */
export interface FileInPieces {
  readonly size: number;
  readonly pieceBytes: number; // of the largest
  readonly pieces: AsyncIterable<Uint8Array>;
}

export interface JobHearing {
  onProgress(fraction: number, stage: string): void;
  /** Rows of a map that have just been measured. */
  onPiece(piece: PieceOfTile): void;
  /** A file of the job. */
  file(hash: string): Promise<FileInPieces>;
}

/** A thread that runs jobs, one after another. It keeps what it prepared for a pass, so that the next tile need not prepare it again. */
export class JobThread {
  private readonly worker: Worker;
  private readonly cancelled = new Int32Array(new SharedArrayBuffer(4));
  private ended = false;
  private prepared: string | null = null;
  private feed: LaneFeed | null = null;
  private waiting: { resolve: (result: JobResult) => void; reject: (error: unknown) => void; hearing: JobHearing } | null = null;

  /** @param threads that its kernels may use; all cores when undefined */
  constructor(workerUrl: URL, threads?: number) {
    this.worker = new Worker(workerUrl, { workerData: threadData.parse({ threads }) });
    this.worker.on('message', (message: FromJobThread) => {
      if (message.type === 'progress') this.waiting?.hearing.onProgress(message.fraction, message.stage);
      else if (message.type === 'piece') this.waiting?.hearing.onPiece(message.piece);
      else if (message.type === 'file') void this.giveFile(message.hash);
      else if (message.type === 'taken') this.feed?.taken();
      else this.settle((w) => (message.type === 'result' ? w.resolve(message.result) : w.reject(rebuildError(message.error))));
    });
    this.worker.on('error', (error) => this.settle((w) => w.reject(error)));
    this.worker.on('exit', () => {
      this.ended = true;
      const error = Atomics.load(this.cancelled, 0) === 0 ? new Error('the job thread ended unexpectedly') : new CancelledError();
      this.settle((w) => w.reject(error));
    });
  }

  /** Whether it can take a further job without preparing anew. */
  holds(key: string): boolean {
    return !this.ended && this.prepared === key && Atomics.load(this.cancelled, 0) === 0;
  }

  /** One at a time. @throws what the job throws */
  run(input: JobInput, hearing: JobHearing): Promise<JobResult> {
    if (this.waiting !== null) throw new Error('a job thread runs one job at a time');
    this.prepared = input.kind === 'extract' ? input.key : null;
    const result = new Promise<JobResult>((resolve, reject) => (this.waiting = { resolve, reject, hearing }));
    if (this.ended) this.settle((w) => w.reject(new CancelledError()));
    else this.worker.postMessage({ input, cancelled: this.cancelled } satisfies ToJobThread);
    return result;
  }

  /** Asks the thread to stop, and ends it when it does not. */
  cancel(): void {
    Atomics.store(this.cancelled, 0, 1);
    setTimeout(() => this.close(), GRACE_MS).unref();
  }

  close(): void {
    if (!this.ended) void this.worker.terminate();
  }

  private async giveFile(hash: string): Promise<void> {
    try {
      if (this.waiting === null) return;
      const { size, pieceBytes, pieces } = await this.waiting.hearing.file(hash);
      this.feed?.stop();
      this.feed = new LaneFeed(size, pieceBytes);
      this.worker.postMessage({ lane: this.feed.lane } satisfies ToJobThread);
      await this.feed.put(pieces);
    } catch (error) {
      // the job cannot go on without it
      this.settle((w) => w.reject(error));
      this.close();
    }
  }

  private settle(how: (waiting: NonNullable<typeof this.waiting>) => void): void {
    const { waiting } = this;
    this.waiting = null;
    this.feed?.stop();
    this.feed = null;
    if (waiting) how(waiting);
  }
}
