import { hostname } from 'node:os';
import { readWorkerConfig } from './config';
import { logOf } from './log';
import { startWorker } from './press-worker';
import { stopOnSignals } from './stop-on-signals';

// A worker of the press: takes jobs from the database's queue, wherever it runs. It serves nothing and listens on no port.
try {
  const config = readWorkerConfig(process.env);
  const log = logOf(config.LOG_LEVEL);
  process.on('unhandledRejection', (error) => log.error({ err: error }, 'a promise failed that nobody waits for'));
  const worker = await startWorker(config, log, new URL('./job.worker.js', import.meta.url));
  const { host, pathname } = new URL(config.DATABASE_URL);
  process.stdout.write(`The worker on ${hostname()} has joined the press of ${host}${pathname}\n`);
  stopOnSignals(() => worker.stop());
} catch (error) {
  process.stderr.write(`The worker cannot start: ${error instanceof Error ? error.message : String(error)}\n`);
  process.exitCode = 1;
}
