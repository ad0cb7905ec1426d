import type { Migration } from '../migrate';

export const firstSlice: Migration = {
  name: '001-first-slice',
  sql: `
    create table blob (
      id uuid primary key,
      hash text unique,
      bytes bigint not null,
      created_at timestamptz not null default now()
    );
    create table blob_chunk (
      blob_id uuid not null references blob on delete cascade,
      index integer not null,
      data bytea not null,
      primary key (blob_id, index)
    );
    -- sculpt data does not compress; do not try
    alter table blob_chunk alter column data set storage external;
    create table production (
      id uuid primary key,
      name text not null unique,
      created_at timestamptz not null default now()
    );
    create table job (
      id uuid primary key,
      kind text not null,
      title text not null,
      state text not null check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
      payload jsonb not null,
      fraction double precision not null default 0,
      stage text not null default '',
      error text,
      asset_id uuid,
      span_id uuid,
      leased_until timestamptz,
      attempts integer not null default 0,
      created_at timestamptz not null default now(),
      started_at timestamptz,
      ended_at timestamptz
    );
    create index job_state on job (state, created_at);
    create table asset (
      id uuid primary key,
      production_id uuid not null references production,
      name text not null,
      unit text not null,
      picture_hash text not null references blob (hash),
      job_id uuid not null unique,
      created_at timestamptz not null default now()
    );
    create table part (
      id uuid primary key,
      asset_id uuid not null references asset on delete cascade,
      name text not null
    );
    create table mesh (
      id uuid primary key,
      hash text not null references blob (hash),
      points integer not null,
      faces integer not null,
      diagonal double precision not null,
      tiles jsonb not null,
      findings jsonb not null
    );
    create table level_stack (
      id uuid primary key,
      part_id uuid not null unique references part on delete cascade,
      kind text not null check (kind in ('stack', 'free'))
    );
    create table level (
      stack_id uuid not null references level_stack on delete cascade,
      level integer not null,
      mesh_id uuid not null references mesh,
      detail double precision,
      primary key (stack_id, level)
    );
    create table span (
      id uuid primary key,
      part_id uuid not null references part on delete cascade,
      settings jsonb not null,
      created_at timestamptz not null default now()
    );
    create table field (
      id uuid primary key,
      span_id uuid not null references span on delete cascade,
      tile integer not null,
      hash text not null references blob (hash),
      info jsonb not null,
      unique (span_id, tile)
    );
    create table encoding (
      id uuid primary key,
      span_id uuid not null unique references span on delete cascade,
      settings jsonb not null
    );
    create table proof (
      id uuid primary key,
      span_id uuid not null references span on delete cascade,
      job_id uuid not null unique,
      encoding jsonb not null,
      report jsonb not null,
      mesh_hash text not null references blob (hash),
      errors_hash text not null references blob (hash),
      seconds double precision not null,
      created_at timestamptz not null default now()
    );
    create table map_file (
      id uuid primary key,
      proof_id uuid not null references proof on delete cascade,
      tile integer not null,
      name text not null,
      hash text not null references blob (hash),
      bytes bigint not null
    );
  `,
};
