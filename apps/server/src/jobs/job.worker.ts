import { parentPort, workerData } from 'node:worker_threads';
import type { RunControl } from '@estampe/core';
import { ByteWindow, toErrorRecord } from '@estampe/core';
import { movable, packOn, standBack, ThreadPool } from '@estampe/node';
import type { FileLane } from './file-lane';
import { LaneSource } from './file-lane';
import type { FromJobThread, JobInput, JobResult, ReadTile, ToJobThread } from './job-messages';
import { threadData } from './job-messages';
import { runDelivery } from './run-delivery';
import { PassRunner } from './run-extract';
import { runImport } from './run-import';
import { runIslands } from './run-islands';
import { runLevels } from './run-levels';
import { runLow } from './run-low';
import { runMend } from './run-mend';
import { runProof } from './run-proof';
import { runSplit } from './run-split';
import { runStudy } from './run-study';
import { runTransfer } from './run-transfer';
import { runUnwrap } from './run-unwrap';

const REPORT_EVERY_MS = 150;

standBack();

const send = (message: FromJobThread): void => parentPort?.postMessage(message);
const pass = new PassRunner((piece) => send({ type: 'piece', piece }));

let arrived: (lane: FileLane) => void = () => undefined;
/** Asks for a file of the job, which comes in pieces. */
const fileOf = (hash: string): Promise<ByteWindow> =>
  new Promise((resolve) => {
    arrived = (lane) => resolve(new ByteWindow(new LaneSource(lane, () => send({ type: 'taken' }))));
    send({ type: 'file', hash });
  });

const bytesOf: ReadTile = async ({ hash }) => (await fileOf(hash)).whole();

function run(input: JobInput, threads: ThreadPool, control: RunControl): Promise<JobResult> | JobResult {
  if (input.kind !== 'extract') pass.forget();
  switch (input.kind) {
    case 'import':
      return runImport(input, fileOf, control);
    case 'low':
      return runLow(input, control);
    case 'islands':
      return runIslands(input, control);
    case 'split':
      return runSplit(input, control);
    case 'transfer':
      return runTransfer(input, threads, control);
    case 'levels':
      return runLevels(input, threads, control);
    case 'unwrap':
      return runUnwrap(input, control);
    case 'mend':
      return runMend(input, control);
    case 'extract':
      return pass.run(input, threads, control);
    case 'proof':
      return runProof(input, bytesOf, threads, control);
    case 'study':
      return runStudy(input, bytesOf, threads, control);
    case 'delivery':
      return runDelivery(input, control);
  }
}

const { threads: allowed } = threadData.parse(workerData);
let threads: ThreadPool | null = null;
parentPort?.on('message', (message: ToJobThread) => {
  if ('lane' in message) {
    arrived(message.lane);
    return;
  }
  const { input, cancelled } = message;
  let last = 0;
  let highest = 0;
  let told = '';
  const control: RunControl = {
    signal: {
      get aborted() {
        return Atomics.load(cancelled, 0) !== 0;
      },
    },
    onProgress: (fraction, stage) => {
      highest = Math.max(highest, fraction);
      const now = Date.now();
      // what comes next may be silent for a while, and is then not to be called what came before
      if (now - last < REPORT_EVERY_MS && stage === told) return;
      [last, told] = [now, stage];
      send({ type: 'progress', fraction: highest, stage });
    },
  };
  const pool = (threads ??= new ThreadPool(new URL('./kernel.worker.js', import.meta.url), allowed));
  packOn(pool.count);
  Promise.resolve()
    .then(() => run(input, pool, control))
    // a copy of a film-size stack would hold up the server for seconds
    .then((result) => parentPort?.postMessage({ type: 'result', result } satisfies FromJobThread, movable(result)))
    .catch((error: unknown) => {
      // a pool whose work broke off may hold threads in the middle of it
      threads = null;
      void pool.close();
      pass.forget();
      send({ type: 'error', error: toErrorRecord(error) });
    });
});
