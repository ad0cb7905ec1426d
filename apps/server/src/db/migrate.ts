import type { Sequelize } from 'sequelize';
import { SequelizeStorage, Umzug } from 'umzug';
import { firstSlice } from './migrations/001-first-slice';
import { deliveries } from './migrations/002-deliveries';
import { tasks } from './migrations/003-tasks';
import { recipes } from './migrations/004-recipes';
import { parts } from './migrations/005-parts';
import { safeEdges } from './migrations/006-safe-edges';
import { removed } from './migrations/007-removed';
import { passes } from './migrations/008-passes';
import { lowStates } from './migrations/009-low-states';
import { oneMesh } from './migrations/010-one-mesh';
import { groups } from './migrations/011-groups';
import { transfer } from './migrations/012-transfer';
import { levelEdits } from './migrations/013-level-edits';
import { usualRecipe } from './migrations/014-usual-recipe';

export interface Migration {
  readonly name: string;
  readonly sql: string;
}

const MIGRATIONS: readonly Migration[] = [
  firstSlice,
  deliveries,
  tasks,
  recipes,
  parts,
  safeEdges,
  removed,
  passes,
  lowStates,
  oneMesh,
  groups,
  transfer,
  levelEdits,
  usualRecipe,
];

/** Brings the schema up to date, each migration in a transaction of its own. Refuses a database that is newer than this program. */
export async function migrate(sequelize: Sequelize): Promise<void> {
  const storage = new SequelizeStorage({ sequelize, tableName: 'schema_migration' });
  const umzug = new Umzug({
    migrations: MIGRATIONS.map(({ name, sql }) => ({
      name,
      up: () => sequelize.transaction((transaction) => sequelize.query(sql, { transaction })),
    })),
    storage,
    logger: undefined,
  });
  refuseNewer(await storage.executed());
  await umzug.up();
}

/** Checks that the schema is exactly this program's, without touching it. @throws Error saying which side is older */
export async function requireSchema(sequelize: Sequelize): Promise<void> {
  const done = await new SequelizeStorage({ sequelize, tableName: 'schema_migration' }).executed();
  refuseNewer(done);
  const missing = MIGRATIONS.find((m) => !done.includes(m.name));
  if (missing)
    throw new Error(`the database is not set up for this version (${missing.name} is missing); start the server of this version first`);
}

function refuseNewer(done: readonly string[]): void {
  const newer = done.filter((name) => !MIGRATIONS.some((m) => m.name === name));
  if (newer.length > 0) throw new Error(`the database was made by a newer version (${newer[0]}); update the application`);
}
