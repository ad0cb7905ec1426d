import type { Migration } from '../migrate';

/** How a level was put onto a free sculpt. */
export const transfer: Migration = {
  name: '012-transfer',
  sql: 'alter table mesh add column transfer jsonb;',
};
