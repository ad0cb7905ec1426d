import { Sequelize } from 'sequelize';
import { defineModels } from './models';
import type { Models } from './models';

export interface Database {
  readonly sequelize: Sequelize;
  readonly models: Models;
}

/** Opens a pool; nothing is sent until the first query. */
export function connect(url: string): Database {
  const sequelize = new Sequelize(url, {
    dialect: 'postgres',
    logging: false,
    pool: { max: 16, acquire: 30_000 },
    define: { underscored: true, freezeTableName: true, updatedAt: false },
  });
  return { sequelize, models: defineModels(sequelize) };
}
