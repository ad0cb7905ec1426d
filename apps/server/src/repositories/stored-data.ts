import type { StorageInfo } from '@estampe/contracts';
import type { Transaction } from 'sequelize';
import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';
import { AppError } from '../http/app-error';

/** What was removed can be wanted back for so long; what was stored may still be asked for by its hash. */
const KEPT_MS = { removed: 24 * 60 * 60 * 1000, stored: 60 * 60 * 1000 } as const;

/** Results are put under a hash first and named by their row after: nothing is freed in between. Held by those who store, taken by whoever frees. */
export const STORING = 7301;

const HASH = "'[0-9a-f]{64}'";

/** What nobody needs, by tables that last for one transaction. Delivered maps stay with all that they hang on. */
const PLAN = [
  `create temp table delivered on commit drop as
     select distinct (regexp_matches(manifest::text, ${HASH}, 'g'))[1] as hash from delivery where manifest is not null`,
  `create temp table delivered_span on commit drop as
     select distinct proof.span_id as id from proof join map_file on map_file.proof_id = proof.id where map_file.hash in (select hash from delivered)`,
  `create temp table gone_asset on commit drop as
     select id from asset where removed_at < :removedBefore and not exists (select from delivery where delivery.asset_id = asset.id)`,
  `create temp table gone_part on commit drop as
     select id from part where asset_id in (select id from gone_asset)
        or removed_at < :removedBefore and not exists (select from span join pass on pass.id = span.pass_id where pass.part_id = part.id and span.id in (select id from delivered_span))`,
  // measured on a mesh that the level does not have any more
  `create temp table old_span on commit drop as
     with mesh_of as (
       select level_stack.part_id, level.level, mesh.hash from level_stack join level on level.stack_id = level_stack.id join mesh on mesh.id = level.mesh_id)
     select distinct span.id, pass.part_id from span
       join pass on pass.id = span.pass_id
       join field on field.span_id = span.id
       left join mesh_of low on low.part_id = pass.part_id and low.level = (pass.settings->>'fromLevel')::int
       left join mesh_of sculpt on sculpt.part_id = pass.part_id and sculpt.level = (pass.settings->>'toLevel')::int
      where pass.part_id not in (select id from gone_part) and span.id not in (select id from delivered_span)
        and (field.info->>'lowHash' <> '' and field.info->>'lowHash' is distinct from low.hash
          or field.info->>'sculptHash' <> '' and field.info->>'sculptHash' is distinct from sculpt.hash)`,
  `create temp table gone_span on commit drop as
     select id from old_span union select span.id from span join pass on pass.id = span.pass_id where pass.part_id in (select id from gone_part)`,
  `create temp table kept_mesh on commit drop as
     select level.mesh_id as id from level join level_stack on level_stack.id = level.stack_id where level_stack.part_id not in (select id from gone_part)
     union select (entry->>'meshId')::uuid from part_state cross join jsonb_array_elements(levels) as entry where part_id not in (select id from gone_part)`,
  `create temp table gone_mesh on commit drop as
     select id from mesh where id not in (select id from kept_mesh)`,
  `create temp table used on commit drop as
     select hash from mesh where id not in (select id from gone_mesh)
     union select picture_hash from part where id not in (select id from gone_part)
     union select sculpt_hash from level_stack where part_id not in (select id from gone_part)
     union select hash from field where span_id not in (select id from gone_span)
     union select (regexp_matches(info::text, ${HASH}, 'g'))[1] from field where span_id not in (select id from gone_span)
     union select unnest(array[mesh_hash, errors_hash]) from proof where span_id not in (select id from gone_span)
     union select map_file.hash from map_file join proof on proof.id = map_file.proof_id where proof.span_id not in (select id from gone_span)
     union select unnest(array[zip_hash, sheet_hash]) from delivery
     union select hash from delivered
     union select (regexp_matches(payload::text, ${HASH}, 'g'))[1] from job where state <> 'done'`,
  `create temp table gone_blob on commit drop as
     select id, bytes from blob where hash is not null and created_at < :storedBefore and not exists (select from used where used.hash = blob.hash)`,
];

/** In the order of who hangs on whom. */
const FREE = [
  'delete from span where id in (select id from gone_span)',
  'delete from pass where not exists (select from span where span.pass_id = pass.id)',
  'delete from part where id in (select id from gone_part)',
  'delete from asset where id in (select id from gone_asset)',
  'delete from mesh where id in (select id from gone_mesh)',
  'delete from blob where id in (select id from gone_blob)',
];

/** How much is stored, and how what nobody needs any more is let go: assets and parts removed a day ago, maps that are out of date, and data that
 *  nothing names (files that were read, fields that were measured again). */
export class StoredData {
  /** @param kept milliseconds */
  constructor(
    private readonly db: Database,
    private readonly kept: { readonly removed: number; readonly stored: number } = KEPT_MS,
  ) {}

  async figures(): Promise<StorageInfo> {
    return this.planned('shared', (transaction) => this.told(transaction));
  }

  /** @returns what was freed, and the assets that lost maps  @throws AppError CONFLICT while there is work on the press */
  async free(): Promise<{ readonly freed: StorageInfo; readonly assetIds: readonly string[] }> {
    return this.planned('alone', async (transaction) => {
      const [{ open }] = await this.ask<{ open: number }>("select count(*)::int as open from job where state in ('waiting', 'running', 'paused')", transaction); // prettier-ignore
      if (open > 0)
        throw new AppError(
          'CONFLICT',
          `There is work on the press (${open} ${open === 1 ? 'job' : 'jobs'}); free the room when it is done.`,
        );
      const freed = await this.told(transaction);
      const assets = await this.ask<{ id: string }>('select distinct part.asset_id as id from part join old_span on old_span.part_id = part.id', transaction); // prettier-ignore
      for (const sql of FREE) await this.db.sequelize.query(sql, { transaction });
      return { freed, assetIds: assets.map(({ id }) => id) };
    });
  }

  private async told(transaction: Transaction): Promise<StorageInfo> {
    const [info] = await this.ask<Record<keyof StorageInfo, string>>(
      `select pg_database_size(current_database()) as "databaseBytes",
              (select coalesce(sum(bytes), 0) from gone_blob) as "freeableBytes",
              (select count(*) from asset where id in (select id from gone_asset))
                + (select count(*) from part where id in (select id from gone_part) and asset_id not in (select id from gone_asset)) as removed,
              (select count(*) from old_span) as "outOfDate"`,
      transaction,
    );
    return {
      databaseBytes: Number(info.databaseBytes),
      freeableBytes: Number(info.freeableBytes),
      removed: Number(info.removed),
      outOfDate: Number(info.outOfDate),
    };
  }

  /** With the plan's tables there. @param how alone: while nobody stores */
  private planned<T>(how: 'shared' | 'alone', use: (transaction: Transaction) => Promise<T>): Promise<T> {
    return this.db.sequelize.transaction(async (transaction) => {
      const lock = how === 'alone' ? 'pg_advisory_xact_lock' : 'pg_advisory_xact_lock_shared';
      await this.db.sequelize.query(`select ${lock}($1)`, { bind: [STORING], transaction });
      // written into the text: PostgreSQL takes no parameters where it makes tables
      const replacements = {
        removedBefore: new Date(Date.now() - this.kept.removed),
        storedBefore: new Date(Date.now() - this.kept.stored),
      };
      for (const sql of PLAN) await this.db.sequelize.query(sql, { replacements, transaction });
      return use(transaction);
    });
  }

  private ask<R extends object>(sql: string, transaction: Transaction): Promise<R[]> {
    return this.db.sequelize.query<R>(sql, { type: QueryTypes.SELECT, transaction });
  }
}
