import type { Migration } from '../migrate';

/** Parts of one mesh that wait for their other, and which way is up in an asset. */
export const oneMesh: Migration = {
  name: '010-one-mesh',
  sql: `
    alter table level_stack drop constraint level_stack_kind_check;
    alter table level_stack add constraint level_stack_kind_check check (kind in ('stack', 'free', 'alone'));
    alter table asset add column up text not null default 'y' check (up in ('y', 'z'));
  `,
};
