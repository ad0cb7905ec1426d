import type { Logger } from 'pino';
import type { WorkerConfig } from './config';
import { connect } from './db/connect';
import { requireSchema } from './db/migrate';
import { repositoriesOf } from './repositories/all';
import { JobInputs } from './services/job-inputs';
import { JobResults } from './services/job-results';
import { Needs } from './services/needs';
import { Press } from './services/press';
import { Wire } from './services/wire';

export interface RunningWorker {
  stop(): Promise<void>;
}

/** Joins the press of a database that a server has set up: everything it needs to know is in there.
 *  @throws Error when the database is of another version, or not there */
export async function startWorker(config: WorkerConfig, log: Logger, workerUrl: URL): Promise<RunningWorker> {
  const db = connect(config.DATABASE_URL);
  await requireSchema(db.sequelize);
  const repositories = repositoriesOf(db);
  const wire = new Wire(config.DATABASE_URL, log, false);
  const inputs = new JobInputs(repositories);
  const results = new JobResults(db, repositories);
  const needs = new Needs(repositories, () => process.availableMemory(), config.THREADS);
  const press = new Press({
    databaseUrl: config.DATABASE_URL,
    db,
    threads: config.THREADS,
    inputs,
    results,
    needs,
    jobs: repositories.jobs,
    lightStates: repositories.lightStates,
    events: wire,
    log,
    workerUrl,
  });
  await wire.start((event) => press.heard(event));
  await press.start();
  return {
    async stop() {
      await press.stop();
      await wire.stop();
      await db.sequelize.close();
    },
  };
}
