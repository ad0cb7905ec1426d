import { parentPort, workerData } from 'node:worker_threads';
import type { CommandStart } from './command';
import { earlyThreads } from './early-threads';

// The threads that measure load while the command itself does: there is a core for each.
const start = workerData as CommandStart;
const early = earlyThreads(start.argv);
try {
  const { runCommand } = await import('./run-command');
  parentPort?.postMessage(await runCommand(start, early));
} finally {
  // those of a command that did not come to use them
  await Promise.all(early.map((worker) => worker.terminate()));
}
