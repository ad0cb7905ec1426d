import type { RunControl } from './progress';
import { stopOf, throwIfAborted } from './progress';

/** A piece of heavy work that can run anywhere: no closure, only data that survives structured cloning.
 *  `shared` is sent to each thread once, so its typed arrays should lie in shared memory. */
export interface Kernel<Shared, Task, Result> {
  readonly name: string;
  /** @param tell hands over a part of the result that somebody can go on with already; what is told is copied to other threads */
  run(shared: Shared, task: Task, tell?: (part: Result) => void): Result;
}

/** Gives bytes. */
export type Allocate = (byteLength: number) => ArrayBufferLike;
/** Memory of the caller's own thread. */
export const ownMemory: Allocate = (byteLength) => new ArrayBuffer(byteLength);

/** Memory that other threads see, where the host has such: for what a kernel makes that all will read. */
export const commonMemory: Allocate = (byteLength) =>
  typeof SharedArrayBuffer === 'undefined' ? new ArrayBuffer(byteLength) : new SharedArrayBuffer(byteLength);

/** Runs tasks of a kernel; a platform with threads brings its own. */
export interface Threads {
  readonly count: number;
  /** Gives memory that all threads see (or ordinary memory where there is only one). */
  readonly allocate: Allocate;
  /** @param tasks taken from first to last; `onResult` may add to them
   *  @param onResult called once a task, in any order, and before that with what a task tells
   *  @param control `goesFirst`: before the tasks of calls that were there already. @throws CancelledError when `control.signal` is set */
  run<Shared, Task, Result>(
    kernel: Kernel<Shared, Task, Result>,
    shared: Shared,
    tasks: readonly Task[],
    onResult: (result: Result, index: number) => void,
    control?: RunControl & { readonly goesFirst?: boolean },
  ): Promise<void>;
}

/** In browsers and in Node alike; the core knows nothing else of its platform. */
declare const setTimeout: (run: () => void, milliseconds: number) => unknown;

/** How long events wait for the caller's own thread. */
const YIELD_MS = 50;

/** One thread: the caller's. Lets events through between tasks, so that a cancel can be heard. */
export const inlineThreads: Threads = {
  count: 1,
  allocate: ownMemory,
  async run<Shared, Task, Result>(
    kernel: Kernel<Shared, Task, Result>,
    shared: Shared,
    tasks: readonly Task[],
    onResult: (result: Result, index: number) => void,
    control?: RunControl,
  ) {
    let last = Date.now();
    for (let i = 0; i < tasks.length; i++) {
      if (Date.now() - last >= YIELD_MS) {
        await new Promise<void>((resolve) => void setTimeout(resolve, 0));
        last = Date.now();
      }
      throwIfAborted(control);
      const take = (result: Result): void => onResult(result, i);
      take(kernel.run(shared, tasks[i], take));
      control?.onProgress?.((i + 1) / tasks.length, kernel.name);
    }
  },
};

/** One task on the next thread that is free, while the caller goes on with something else; on its own thread where there is no other. A failure is
 *  told to who awaits it, and to nobody where the caller fails first. @param onPart hears what the task tells, and its result @throws CancelledError */
export function beside<Shared, Task, Result>(
  kernel: Kernel<Shared, Task, Result>,
  shared: Shared,
  task: Task,
  threads: Threads,
  control: Parameters<Threads['run']>[4] = {},
  onPart?: (part: Result) => void,
): Promise<Result> {
  const parts: Result[] = [];
  const take = (part: Result): void => {
    parts[0] = part;
    onPart?.(part);
  };
  // as one of many steps it has no progress of its own
  const how = { ...stopOf(control), goesFirst: control.goesFirst };
  return untold((threads.count < 2 ? inlineThreads : threads).run(kernel, shared, [task], take, how).then(() => parts[0]));
}

/** A promise whose failure is told to who awaits it, and to nobody where nobody does. */
export function untold<T>(promise: Promise<T>): Promise<T> {
  promise.catch(() => undefined);
  return promise;
}

/** From a number on, and up to another. */
export interface Range {
  readonly from: number;
  readonly to: number;
}
/** Ranges of a size, the last one perhaps smaller, that hold so many together. */
export const rangesOf = (count: number, size: number): Range[] =>
  Array.from({ length: Math.ceil(count / size) }, (_, i) => ({ from: i * size, to: Math.min(count, (i + 1) * size) }));

/** Whether other threads see an array's memory. Told by its name, which is the same in every realm. */
export const isSeenByAll = ({ buffer }: ArrayBufferView): boolean => buffer[Symbol.toStringTag] === 'SharedArrayBuffer';

/** Parts of so many things for all threads, a few for each of them, as some take longer than others. */
export const partsFor = (count: number, { count: threads }: Pick<Threads, 'count'>): Range[] =>
  rangesOf(count, Math.ceil(count / (PARTS_A_THREAD * threads)));
const PARTS_A_THREAD = 4;

/** The array itself where other threads see its memory already, or where there are none; else a copy that they see. */
export function seenByAll<A extends Float32Array | Uint32Array>(array: A, allocate: Allocate): A {
  if (allocate === ownMemory || isSeenByAll(array)) return array;
  return (
    array[Symbol.toStringTag] === 'Float32Array' ? placeF32(array as Float32Array, allocate) : placeU32(array as Uint32Array, allocate)
  ) as A;
}
/** Copies a typed array into memory from `allocate`. */
export function placeF32(source: Float32Array, allocate: Allocate): Float32Array {
  const out = new Float32Array(allocate(source.byteLength));
  out.set(source);
  return out;
}
export function placeU32(source: Uint32Array, allocate: Allocate): Uint32Array {
  const out = new Uint32Array(allocate(source.byteLength));
  out.set(source);
  return out;
}
