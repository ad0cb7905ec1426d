import type { Migration } from '../migrate';

/** What is removed stays until it is wanted back; its name is free meanwhile. */
export const removed: Migration = {
  name: '007-removed',
  sql: `
    alter table asset add column removed_at timestamptz;
    alter table part add column removed_at timestamptz;
    alter table part drop constraint part_name_once;
    create unique index part_name_once on part (asset_id, name) where removed_at is null;
  `,
};
