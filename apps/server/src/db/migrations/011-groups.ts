import type { Migration } from '../migrate';

/** Groups of faces that were made here; the mesh itself stays, and so do its maps. A job that splits a part makes several. */
export const groups: Migration = {
  name: '011-groups',
  sql: `
    alter table mesh add column groups jsonb;
    alter table part drop constraint part_job_id_key;
    alter table part add constraint part_job_id_name_key unique (job_id, name);
  `,
};
