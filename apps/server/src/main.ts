import { readConfig } from './config';
import { logOf } from './log';
import { startServer } from './server';
import { stopOnSignals } from './stop-on-signals';

const config = readConfig(process.env);
const log = logOf(config.LOG_LEVEL);
// The queue reports a finished message to the database by itself; when the database has just gone, that promise is nobody's. The job's own
// row decides what happens to it, so the server has no reason to end.
process.on('unhandledRejection', (error) => log.error({ err: error }, 'a promise failed that nobody waits for'));
try {
  const server = await startServer(config, log, new URL('./job.worker.js', import.meta.url));
  process.stdout.write(`Estampe is ready at ${server.url}\n`);
  if (config.ESTAMPE_TOKEN !== undefined) process.stdout.write('Open it once with /?token= and your ESTAMPE_TOKEN behind that address.\n');
  stopOnSignals(() => server.stop());
} catch (error) {
  log.fatal({ err: error }, 'Estampe cannot start');
  process.exitCode = 1;
}
