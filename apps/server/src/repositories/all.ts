import type { Database } from '../db/connect';
import { Assets } from './assets';
import { Blobs } from './blobs';
import { Deliveries } from './deliveries';
import { Jobs } from './jobs';
import { LightStates } from './light-states';
import { Spans } from './spans';
import { StoredData } from './stored-data';

/** What a task needs of the database, in the server and in workers alike. */
export const repositoriesOf = (db: Database) => ({
  blobs: new Blobs(db),
  assets: new Assets(db),
  lightStates: new LightStates(db),
  spans: new Spans(db),
  jobs: new Jobs(db),
  deliveries: new Deliveries(db),
  storedData: new StoredData(db),
});
export type Repositories = ReturnType<typeof repositoriesOf>;
