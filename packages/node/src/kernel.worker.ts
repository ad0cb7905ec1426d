import { parentPort } from 'node:worker_threads';
import type { ErrorRecord } from '@estampe/core';
import { KERNELS, toErrorRecord } from '@estampe/core';
import { movable } from './movable';

/** What goes to a kernel thread and comes back. */
export type ToKernel =
  | { readonly type: 'shared'; readonly kernel: string; readonly shared: unknown }
  | { readonly type: 'task'; readonly index: number; readonly task: unknown };
export type FromKernel =
  | { readonly index: number; readonly result: unknown }
  | { readonly index: number; readonly part: unknown }
  | { readonly index: number; readonly error: ErrorRecord };

let run: (task: unknown, tell: (part: unknown) => void) => unknown = () => {
  throw new Error('no kernel has been sent');
};

parentPort?.on('message', (message: ToKernel) => {
  if (message.type === 'shared') {
    const kernel = KERNELS.get(message.kernel);
    run = (task, tell) => {
      if (kernel === undefined) throw new Error(`no kernel is called ${message.kernel}`);
      return kernel.run(message.shared as never, task as never, tell);
    };
    return;
  }
  try {
    const result = run(message.task, (part) => parentPort?.postMessage({ index: message.index, part } satisfies FromKernel));
    parentPort?.postMessage({ index: message.index, result } satisfies FromKernel, movable(result));
  } catch (error) {
    parentPort?.postMessage({ index: message.index, error: toErrorRecord(error) } satisfies FromKernel);
  }
});
