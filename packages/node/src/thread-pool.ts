import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { Kernel, RunControl, Threads } from '@estampe/core';
import { CancelledError, rebuildError } from '@estampe/core';
import type { FromKernel, ToKernel } from './kernel.worker';

/** How soon a stop is seen. */
const WATCH_MS = 100;

/** A worker, what it works on, and whose shared parts it has. */
interface Lane {
  readonly worker: Worker;
  run: Run | null;
  readonly has: Set<Run>;
}

/** Tasks of one call. It is over when all are done, or after a failure none is under way. */
interface Run {
  readonly number: number;
  readonly kernel: string;
  readonly shared: unknown;
  readonly tasks: readonly unknown[];
  readonly onResult: (result: unknown, index: number) => void;
  readonly control: RunControl | undefined;
  readonly settle: (failure: Error | null) => void;
  next: number;
  done: number;
  underWay: number;
  failure: Error | null;
}

/** The core's threads on worker threads. Workers start when they are needed and stay until `close`; of several runs at a time the tasks of the first
 *  come first (or of one that asks for it), and a worker that it leaves idle takes the next one's. */
export class ThreadPool implements Threads {
  readonly allocate = (byteLength: number): SharedArrayBuffer => new SharedArrayBuffer(byteLength);
  private readonly lanes = new Set<Lane>();
  /** In the order in which their tasks are given. */
  private readonly runs = new Set<Run>();
  private watch: NodeJS.Timeout | null = null;
  /** Number of the last run. */
  private last = 0;

  /** @param workerUrl bundle of `kernel.worker.ts` @param started workers of it that are taken over, no more than `count` */
  constructor(
    private readonly workerUrl: URL,
    readonly count: number = availableParallelism(),
    started: readonly Worker[] = [],
  ) {
    for (const worker of started) this.newLane(worker);
  }

  run<S, T, R>(
    kernel: Kernel<S, T, R>,
    shared: S,
    tasks: readonly T[],
    onResult: (result: R, index: number) => void,
    control?: Parameters<Threads['run']>[4],
  ): Promise<void> {
    return new Promise((resolve, reject) => {
      const settle = (failure: Error | null): void => {
        this.runs.delete(run);
        for (const { has, worker } of this.lanes)
          if (has.delete(run)) worker.postMessage({ type: 'over', run: run.number } satisfies ToKernel);
        if (failure === null) resolve();
        else reject(failure);
      };
      const given = onResult as (result: unknown, index: number) => void;
      const run: Run = {
        number: ++this.last, kernel: kernel.name, shared, tasks, onResult: given, control, settle, next: 0, done: 0, underWay: 0, failure: null,
      }; // prettier-ignore
      const before = control?.goesFirst === true ? [...this.runs] : [];
      for (const other of before) this.runs.delete(other);
      for (const one of [run, ...before]) this.runs.add(one);
      this.watch ??= setInterval(() => this.goOn(), WATCH_MS);
      this.settleIfOver(run);
      this.goOn();
    });
  }

  /** Starts all workers at once, before there is anything for them to do: who reads files first has them ready afterwards. */
  start(): void {
    while (this.lanes.size < this.count) this.newLane();
  }

  /** Ends all workers; what still runs fails. */
  async close(): Promise<void> {
    for (const run of [...this.runs]) run.settle(new Error('the threads were closed'));
    await Promise.all([...this.lanes].map((lane) => this.end(lane)));
    this.rest();
  }

  /** Stops what nobody wants any more, and gives every idle worker its next task. */
  private goOn(): void {
    this.stopUnwanted();
    for (const run of this.runs)
      while (run.failure === null && run.next < run.tasks.length) {
        const lane = this.idleLane();
        if (lane === null) return;
        this.give(lane, run);
      }
    if (this.runs.size === 0) this.rest();
  }

  private give(lane: Lane, run: Run): void {
    const index = run.next++;
    try {
      const { number, kernel, shared } = run;
      if (!lane.has.has(run)) lane.worker.postMessage({ type: 'shared', run: number, kernel, shared } satisfies ToKernel);
      lane.has.add(run);
      lane.worker.postMessage({ type: 'task', run: number, index, task: run.tasks[index] } satisfies ToKernel);
      lane.run = run;
      run.underWay++;
    } catch (error) {
      // what cannot be copied to a thread, for want of memory for instance
      run.failure = error as Error;
      this.settleIfOver(run);
    }
  }

  private idleLane(): Lane | null {
    for (const lane of this.lanes) if (lane.run === null) return lane;
    return this.lanes.size >= this.count ? null : this.newLane();
  }

  private newLane(worker = new Worker(this.workerUrl)): Lane {
    const lane: Lane = { worker, run: null, has: new Set() };
    const lost = (error: Error): void => {
      if (!this.lanes.delete(lane)) return;
      this.taskOver(lane, () => {
        throw error;
      });
    };
    lane.worker
      .on('message', (message: FromKernel) => {
        if ('part' in message) this.takePart(lane, message);
        else this.taskOver(lane, (run) => this.take(run, message));
      })
      .on('error', lost)
      .on('exit', () => lost(new Error('a worker thread ended unexpectedly')));
    this.lanes.add(lane);
    return lane;
  }

  /** What a task tells before it ends may bring tasks for others. */
  private takePart({ run }: Lane, { part, index }: Extract<FromKernel, { part: unknown }>): void {
    if (run?.failure !== null) return;
    try {
      run.onResult(part, index);
    } catch (error) {
      run.failure = error as Error;
    }
    this.goOn();
  }

  private take(run: Run, message: Exclude<FromKernel, { part: unknown }>): void {
    if ('error' in message) throw rebuildError(message.error);
    run.onResult(message.result, message.index);
    run.control?.onProgress?.(++run.done / run.tasks.length, run.kernel);
  }

  /** @param take hears what came of it; throws what the run fails with */
  private taskOver(lane: Lane, take: (run: Run) => void): void {
    const { run } = lane;
    lane.run = null;
    if (run !== null) {
      run.underWay--;
      try {
        if (run.failure === null) take(run);
      } catch (error) {
        run.failure = error as Error;
      }
      this.settleIfOver(run);
    }
    this.goOn();
  }

  private settleIfOver(run: Run): void {
    if (run.underWay > 0 || !this.runs.has(run)) return;
    if (run.failure !== null || run.next >= run.tasks.length) run.settle(run.failure);
  }

  /** A task may take longer than anybody waits: workers that are busy with what nobody wants are ended, and others start with the next task. */
  private stopUnwanted(): void {
    for (const run of [...this.runs]) {
      if (run.control?.signal?.aborted !== true) continue;
      for (const lane of [...this.lanes]) if (lane.run === run) void this.end(lane);
      run.settle(new CancelledError());
    }
  }

  private async end(lane: Lane): Promise<void> {
    this.lanes.delete(lane);
    await lane.worker.terminate();
  }

  private rest(): void {
    if (this.watch !== null) clearInterval(this.watch);
    this.watch = null;
  }
}
