import type { Migration } from '../migrate';

/** Groups of faces that were made here; the mesh itself stays, and so do its maps. */
export const groups: Migration = {
  name: '011-groups',
  sql: `alter table mesh add column groups jsonb;`,
};
