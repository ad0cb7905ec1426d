import type { Migration } from '../migrate';

/** Parts of one name are told apart and can no longer come about; a task knows how often its worker died over it. */
export const safeEdges: Migration = {
  name: '006-safe-edges',
  sql: `
    update part set name = part.name || ' ' || left(part.id::text, 8)
      from (select id, row_number() over (partition by asset_id, name order by created_at, id) as n from part) counted
     where counted.id = part.id and counted.n > 1;
    alter table part add constraint part_name_once unique (asset_id, name);
    alter table task add column deaths integer not null default 0;
  `,
};
