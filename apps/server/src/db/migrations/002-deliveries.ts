import type { Migration } from '../migrate';

export const deliveries: Migration = {
  name: '002-deliveries',
  sql: `
    -- counts every saving, so that two tabs on one encoding notice each other
    alter table encoding add column version integer not null default 1;
    alter table proof rename column report to outcome;
    update proof set outcome = jsonb_build_object('kind', 'scalar', 'report', outcome);
    alter table proof add column worst jsonb not null default '[]';
    alter table proof add column study jsonb;
    -- what a delivery says of a file; null in files from before this was kept
    alter table map_file add column record jsonb;
    alter table map_file add column figures jsonb;
    create table delivery (
      id uuid primary key,
      asset_id uuid not null references asset on delete cascade,
      version integer not null,
      job_id uuid not null unique,
      name text not null,
      -- null until its job has written it
      manifest jsonb,
      zip_hash text references blob (hash),
      sheet_hash text references blob (hash),
      bytes bigint,
      created_at timestamptz not null default now(),
      unique (asset_id, version)
    );
  `,
};
