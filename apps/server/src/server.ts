import type { AddressInfo } from 'node:net';
import type { Logger } from 'pino';
import { createApp } from './app';
import type { Config } from './config';
import { connect } from './db/connect';
import { migrate } from './db/migrate';
import { namesOf } from './http/who-may-ask';
import { SideThread } from './jobs/side-thread';
import { repositoriesOf } from './repositories/all';
import { Recipes } from './repositories/recipes';
import { makeDemo } from './services/demo';
import { Events } from './services/events';
import { JobInputs } from './services/job-inputs';
import { JobResults } from './services/job-results';
import { Needs } from './services/needs';
import { Press } from './services/press';
import { stepsOf } from './services/steps/steps';
import { Wire } from './services/wire';

export interface RunningServer {
  readonly url: string;
  stop(): Promise<void>;
}

/** Jobs whose state is shown again after the database was away. */
const RETOLD = 20;
/** Connections that do not close by themselves are cut after this long. */
const CLOSE_MS = 2000;

/** Migrates, starts the press, makes the demo in an empty database, listens. */
export async function startServer(config: Config, log: Logger, workerUrl: URL): Promise<RunningServer> {
  const db = connect(config.DATABASE_URL);
  await migrate(db.sequelize);
  const wire = new Wire(config.DATABASE_URL, log, true);
  const events = new Events(wire);
  const recipes = new Recipes(db);
  const repositories = repositoriesOf(db);
  const { blobs, jobs } = repositories;
  const inputs = new JobInputs(repositories);
  const results = new JobResults(db, repositories);
  const needs = new Needs(repositories, () => process.availableMemory(), config.THREADS);
  const works = config.EMBEDDED_WORKER === 'yes';
  const press = new Press({
    databaseUrl: config.DATABASE_URL,
    db,
    threads: config.THREADS,
    inputs,
    results,
    needs,
    jobs,
    lightStates: repositories.lightStates,
    events,
    log,
    workerUrl,
    works,
  });
  const steps = stepsOf({ ...repositories, db, press, events, needs, side: new SideThread(new URL('side.worker.js', workerUrl)) });
  await blobs.sweep();
  await wire.start(
    (event) => {
      events.show(event);
      press.heard(event);
    },
    // what was told while the database was away is told again from the book
    () => void jobs.list(RETOLD).then((all) => all.forEach((job) => events.show({ type: 'job', job })), () => undefined), // prettier-ignore
  );
  await press.start();
  const app = createApp({ ...repositories, recipes, events, press, steps }, log, {
    webDir: config.WEB_DIR,
    names: namesOf(config.HOST, config.ESTAMPE_HOSTS ?? []),
    token: config.ESTAMPE_TOKEN,
  });
  const server = await new Promise<ReturnType<typeof app.listen>>((resolve, reject) => {
    const listening = app.listen(config.PORT, config.HOST, (error?: Error) => (error ? reject(error) : resolve(listening)));
  });
  // an upload of 2 GiB may take hours: what counts is that something arrives (see the route), not when it is done
  server.requestTimeout = 0;
  const stopping = new AbortController();
  const top = config.DEMO_TOP_LEVEL;
  const demo =
    top === 0
      ? undefined
      : makeDemo({ ...repositories, steps }, top, stopping.signal).catch((error: unknown) => {
          if (!stopping.signal.aborted) log.error({ err: error }, 'demo');
        });
  const { port } = server.address() as AddressInfo;
  return {
    url: `http://${config.HOST}:${port}`,
    async stop() {
      stopping.abort();
      const closed = new Promise<void>((resolve) => server.close(() => resolve()));
      const timer = setTimeout(() => server.closeAllConnections(), CLOSE_MS);
      await press.stop();
      await wire.stop();
      await closed;
      clearTimeout(timer);
      await demo;
      await db.sequelize.close();
    },
  };
}
