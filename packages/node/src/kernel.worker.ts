import { parentPort } from 'node:worker_threads';
import type { ErrorRecord, Kernel } from '@estampe/core';
import { KERNELS, toErrorRecord } from '@estampe/core';
import { movable } from './movable';
import { deflated, deflatedOf } from './zlib';

/** What goes to a kernel thread and comes back. Runs have numbers; what one shares is kept until it is over. */
export type ToKernel =
  | { readonly type: 'shared'; readonly run: number; readonly kernel: string; readonly shared: unknown }
  | { readonly type: 'task'; readonly run: number; readonly index: number; readonly task: unknown }
  | { readonly type: 'over'; readonly run: number };
export type FromKernel =
  | { readonly index: number; readonly result: unknown }
  | { readonly index: number; readonly part: unknown }
  | { readonly index: number; readonly error: ErrorRecord };

const runs = new Map<number, { readonly kernel: string; readonly shared: unknown }>();

parentPort?.on('message', (message: ToKernel) => {
  switch (message.type) {
    case 'shared':
      runs.set(message.run, message);
      return;
    case 'over':
      runs.delete(message.run);
      return;
    case 'task':
      answer(message);
  }
});

function answer({ run, index, task }: Extract<ToKernel, { type: 'task' }>): void {
  try {
    const { kernel: name, shared } = runs.get(run) ?? { kernel: 'that was sent', shared: null };
    const made = deflatedOf(name);
    const plain = KERNELS.get(made ?? name);
    if (plain === undefined) throw new Error(`no kernel is called ${name}`);
    const kernel = made === null ? plain : deflated(plain as Kernel<never, never, Uint8Array>);
    const result = kernel.run(shared as never, task as never, (part) => parentPort?.postMessage({ index, part } satisfies FromKernel));
    parentPort?.postMessage({ index, result } satisfies FromKernel, movable(result));
  } catch (error) {
    parentPort?.postMessage({ index, error: toErrorRecord(error) } satisfies FromKernel);
  }
}
