import { Worker } from 'node:worker_threads';
import type { CommandStart } from './command';
import { EXIT } from './command';

/** How long a command that is to stop may take to do so by itself. */
const PATIENCE_MS = 5000;

// The command runs on a thread of its own, because this one must hear a signal also while the command computes.
const stop = new SharedArrayBuffer(4);
const worker = new Worker(new URL('./command.worker.mjs', import.meta.url), {
  workerData: { argv: process.argv.slice(2), stop, watched: process.stderr.isTTY } satisfies CommandStart,
});

let stopping = false;
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    if (stopping) process.exit(EXIT.cancelled);
    stopping = true;
    Atomics.store(new Int32Array(stop), 0, 1);
    setTimeout(() => {
      process.stderr.write('estampe: cancelled; no file was left half written.\n');
      process.exit(EXIT.cancelled);
    }, PATIENCE_MS).unref();
  });

// a reader that had enough (head, less) is no error
for (const stream of [process.stdout, process.stderr])
  stream.on('error', ({ code, message }: NodeJS.ErrnoException) => {
    if (code === 'EPIPE') return;
    if (stream === process.stdout)
      process.stderr.write(`estampe: standard output cannot be written (${message}); make room and run it again.\n`);
    process.exitCode = EXIT.refused;
  });

worker.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'ERR_WORKER_OUT_OF_MEMORY') {
    process.stderr.write('estampe: this needs more memory than there is; take a smaller mesh or size, or run it where there is more.\n');
    process.exitCode = EXIT.refused;
    return;
  }
  process.stderr.write(`estampe: internal error: ${error.stack ?? error.message}\n`);
  process.exitCode = EXIT.internal;
});
worker.on('message', (code: number) => (process.exitCode ??= code));
