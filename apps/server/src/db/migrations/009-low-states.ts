import type { Migration } from '../migrate';

/** States of a part's levels that can be gone back to, and what the UVs of a mesh are like. */
export const lowStates: Migration = {
  name: '009-low-states',
  sql: `
    alter table mesh add column uv jsonb;
    alter table part add column state_place integer not null default 0;
    create table part_state (
      id uuid primary key,
      part_id uuid not null references part on delete cascade,
      place integer not null,
      title text not null,
      levels jsonb not null,
      created_at timestamptz not null default now(),
      unique (part_id, place)
    );
  `,
};
