import type { Migration } from '../migrate';

/** An asset may have several parts, each with a picture, a way of measuring and an import of its own. */
export const parts: Migration = {
  name: '005-parts',
  sql: `
    alter table part
      add column job_id uuid unique,
      add column picture_hash text references blob (hash),
      add column recipe jsonb,
      add column created_at timestamptz not null default now();
    update part set job_id = asset.job_id, picture_hash = asset.picture_hash, created_at = asset.created_at
      from asset where asset.id = part.asset_id;
    alter table part alter column job_id set not null, alter column picture_hash set not null;
    -- a light mesh that waits to be brought in again belongs to a part from now on
    update job set payload = (payload - 'assetId') || jsonb_build_object('partId', part.id)
      from part where job.kind = 'low' and part.asset_id = (job.payload ->> 'assetId')::uuid;
    alter table asset drop column job_id, drop column picture_hash;
  `,
};
