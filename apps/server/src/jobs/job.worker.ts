import { parentPort } from 'node:worker_threads';
import type { RunControl, Threads } from '@estampe/core';
import { toErrorRecord } from '@estampe/core';
import { ThreadPool } from '@estampe/node';
import type { FromJobThread, JobInput, JobResult, ToJobThread } from './job-messages';
import { runExtract } from './run-extract';
import { runImport } from './run-import';
import { runProof } from './run-proof';

const REPORT_EVERY_MS = 150;

function run(input: JobInput, threads: Threads, control: RunControl): Promise<JobResult> {
  if (input.kind === 'import') return runImport(input, control);
  if (input.kind === 'extract') return runExtract(input, threads, control);
  return runProof(input, threads, control);
}

parentPort?.once('message', ({ input, cancelled }: ToJobThread) => {
  const send = (message: FromJobThread): void => parentPort?.postMessage(message);
  let last = 0;
  let highest = 0;
  const control: RunControl = {
    signal: {
      get aborted() {
        return Atomics.load(cancelled, 0) !== 0;
      },
    },
    onProgress: (fraction, stage) => {
      highest = Math.max(highest, fraction);
      const now = Date.now();
      if (now - last < REPORT_EVERY_MS) return;
      last = now;
      send({ type: 'progress', fraction: highest, stage });
    },
  };
  const threads = new ThreadPool(new URL('./kernel.worker.js', import.meta.url));
  run(input, threads, control)
    .then((result) => send({ type: 'result', result }))
    .catch((error: unknown) => send({ type: 'error', error: toErrorRecord(error) }))
    .finally(() => void threads.close());
});
