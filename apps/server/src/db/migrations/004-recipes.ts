import type { Migration } from '../migrate';

export const recipes: Migration = {
  name: '004-recipes',
  sql: `
    create table recipe (
      id uuid primary key,
      name text not null unique,
      unit text not null,
      settings jsonb not null,
      created_at timestamptz not null default now()
    );
  `,
};
