import type { Migration } from '../migrate';

export const tasks: Migration = {
  name: '003-tasks',
  sql: `
    -- what one worker does at a time: one tile of a pass, or the whole of any other job (tile 0)
    create table task (
      job_id uuid not null references job on delete cascade,
      tile integer not null default 0,
      state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
      leased_until timestamptz,
      attempts integer not null default 0,
      fraction double precision not null default 0,
      error text,
      started_at timestamptz,
      ended_at timestamptz,
      primary key (job_id, tile)
    );
    create index task_open on task (job_id) where state in ('waiting', 'running');
    alter table job drop constraint job_state_check;
    alter table job add check (state in ('waiting', 'running', 'paused', 'done', 'failed', 'cancelled'));
    alter table job add column priority integer not null default 0;
    -- order among jobs of one priority; smaller goes first
    alter table job add column place double precision not null default extract(epoch from clock_timestamp());
    update job set place = extract(epoch from created_at);
    alter table job add column tasks integer not null default 1;
    alter table job add column tasks_done integer not null default 0;
    update job set tasks_done = 1 where state = 'done';
    update job set state = 'waiting', fraction = 0, stage = '', started_at = null where state = 'running';
    -- passes that had not ended go on tile by tile
    insert into task (job_id, tile)
      select j.id, t.tile::integer
        from job j
        join span s on s.id = j.span_id
        join level_stack k on k.part_id = s.part_id
        join level l on l.stack_id = k.id and l.level = 0
        join mesh m on m.id = l.mesh_id
        cross join jsonb_array_elements_text(m.tiles) as t (tile)
        where j.kind = 'extract' and j.state = 'waiting';
    update job set tasks = (select count(*) from task where job_id = job.id) where kind = 'extract' and state = 'waiting';
    insert into task (job_id) select id from job where state = 'waiting' and kind <> 'extract';
    -- ended ones keep one task, so that they can be tried again
    insert into task (job_id, state) select id, state from job where state in ('done', 'failed', 'cancelled') and kind <> 'extract';
    alter table job drop column leased_until;
    alter table job drop column attempts;
    alter table mesh add column colours boolean;
    create index job_order on job (priority desc, place) where state in ('waiting', 'running');
  `,
};
