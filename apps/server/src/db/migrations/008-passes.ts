import type { Migration } from '../migrate';

/** What the maps of one pass have in common is kept once, their kinds beside it. Maps of equal settings become one pass; where there are several
 *  of a kind (measured again from other meshes), the first of each belong together, then the second. Padding that fills says so in words. */
export const passes: Migration = {
  name: '008-passes',
  sql: `
    update span set settings = jsonb_set(settings, '{padding}', '"fill"') where settings->>'padding' = '-1';
    update part set recipe = jsonb_set(recipe, '{padding}', '"fill"') where recipe->>'padding' = '-1';
    update recipe set settings = jsonb_set(settings, '{padding}', '"fill"') where settings->>'padding' = '-1';
    update map_file set record = jsonb_set(record, '{padding}', '"fill"') where record->>'padding' = '-1';

    create table pass (
      id uuid primary key,
      part_id uuid not null references part on delete cascade,
      settings jsonb not null,
      created_at timestamptz not null default now(),
      copy bigint
    );
    create index pass_part on pass (part_id);
    alter table span add column pass_id uuid references pass on delete cascade, add column kind text, add column copy bigint;
    update span set kind = settings->>'kind', copy = counted.copy
      from (select id, row_number() over (partition by part_id, settings order by created_at, id) as copy from span) as counted
      where counted.id = span.id;
    insert into pass (id, part_id, settings, created_at, copy)
      select gen_random_uuid(), part_id, settings - 'kind', min(created_at), copy from span group by part_id, settings - 'kind', copy;
    update span set pass_id = pass.id from pass
      where pass.part_id = span.part_id and pass.settings = span.settings - 'kind' and pass.copy = span.copy;
    alter table span
      alter column pass_id set not null,
      alter column kind set not null,
      drop column settings,
      drop column part_id,
      drop column copy,
      add constraint span_kind_once unique (pass_id, kind);
    alter table pass drop column copy;
  `,
};
