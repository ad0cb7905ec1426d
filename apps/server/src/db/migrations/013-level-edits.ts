import type { Migration } from '../migrate';

/** The free sculpt that a stack was made from; whether a state was a stack. */
export const levelEdits: Migration = {
  name: '013-level-edits',
  sql: `
    alter table level_stack add column sculpt_hash text references blob (hash);
    alter table part_state add column kind text;
  `,
};
