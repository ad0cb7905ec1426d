import { availableParallelism } from 'node:os';
import { parseArgs } from 'node:util';
import { Worker } from 'node:worker_threads';

/** Commands that give all threads something to do. */
const MEASURING: ReadonlySet<string> = new Set(['extract', 'proof', 'transfer', 'deliver']);

/** Bundle of the threads that measure. */
export const KERNEL_WORKER = new URL('./kernel.worker.mjs', import.meta.url);

/** Threads for a command, by a first look at its arguments; none where they ask for something impossible, which the command will say. */
export function earlyThreads([name = '', ...args]: readonly string[]): Worker[] {
  if (!MEASURING.has(name)) return [];
  const { threads } = parseArgs({ args, strict: false, options: { threads: { type: 'string', short: 'j' } } }).values;
  const most = availableParallelism();
  const count = threads === undefined ? most : Number(threads);
  if (!Number.isInteger(count) || count < 1) return [];
  return Array.from({ length: Math.min(count, most) }, () => new Worker(KERNEL_WORKER));
}
