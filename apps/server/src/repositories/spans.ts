import type { EncodingSettings, ExtractSettings, FieldInfo, LevelsPass, ProofInfo, StackKind } from '@estampe/contracts';
import { encodingSchema, levelsPassSchema, settingsOfKind } from '@estampe/contracts';
import type { EncodingFigures, MapKind, NormalFigures, WrittenRecord } from '@estampe/core';
import type { Transaction } from 'sequelize';
import { QueryTypes } from 'sequelize';
import { isDeepStrictEqual } from 'node:util';
import type { Database } from '../db/connect';
import type { FieldRow, MapFileRow, MeshRow, PassRow, ProofRow, SpanRow } from '../db/models';
import { AppError } from '../http/app-error';

export interface NewField {
  readonly tile: number;
  readonly hash: string;
  readonly info: Omit<FieldInfo, 'id' | 'tile'>;
}

export interface NewProof {
  readonly jobId: string;
  readonly encoding: EncodingSettings;
  readonly outcome: ProofInfo['outcome'];
  readonly worst: ProofInfo['worst'];
  readonly meshHash: string;
  readonly errorsHash: string;
  readonly seconds: number;
  readonly maps: readonly {
    readonly tile: number;
    readonly name: string;
    readonly hash: string;
    readonly bytes: number;
    readonly record: WrittenRecord;
    readonly figures: EncodingFigures | NormalFigures;
  }[];
}

/** What the tiles of a pass are measured from. */
export interface PassFacts {
  /** One a span, in their order. */
  readonly settings: readonly ExtractSettings[];
  readonly unit: string;
  readonly lowHash: string;
  readonly sculptHash: string;
  readonly sculptPoints: number;
  readonly stackKind: StackKind;
}

/** Spans with their fields, encodings, proofs and map files. */
export class Spans {
  constructor(private readonly db: Database) {}

  /** Maps of a pass, one a kind, in the order asked for. Those that are there already, measured from these meshes, are taken up again.
   *  @returns their ids, and which were there */
  async open(
    partId: string,
    settings: LevelsPass,
    kinds: readonly MapKind[],
    hashes: { readonly lowHash: string; readonly sculptHash: string },
    transaction: Transaction,
  ): Promise<{ readonly ids: readonly string[]; readonly known: readonly (string | null)[] }> {
    const { Pass, Span } = this.db.models;
    const like = await this.passLike(partId, settings, hashes, transaction);
    const known = kinds.map((kind) => like?.spans.find((s) => s.kind === kind)?.id ?? null);
    if (known.every((id) => id !== null)) return { ids: known, known };
    const passId = like?.id ?? (await Pass.create({ partId, settings }, { transaction })).id;
    const ids: string[] = [];
    for (const [k, kind] of kinds.entries()) ids.push(known[k] ?? (await Span.create({ passId, kind }, { transaction })).id);
    return { ids, known };
  }

  async get(id: string): Promise<SpanRow> {
    const row = await this.db.models.Span.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That span is not here; load the page again.');
    return row;
  }

  /** One question for the whole pass: every worker asks it again for each of its tiles. @param ids spans that are measured together
   *  @throws AppError NOT_FOUND */
  async pass(ids: readonly string[]): Promise<PassFacts> {
    const rows = await this.db.sequelize.query<Omit<PassFacts, 'settings'> & { readonly settings: unknown; readonly kind: MapKind }>(
      `select pass.settings, span.kind, asset.unit, low.hash as "lowHash", sculpt.hash as "sculptHash", sculpt.points as "sculptPoints",
              level_stack.kind as "stackKind"
         from span
         join pass on pass.id = span.pass_id
         join part on part.id = pass.part_id
         join asset on asset.id = part.asset_id
         join level_stack on level_stack.part_id = part.id
         join level as from_level on from_level.stack_id = level_stack.id and from_level.level = (pass.settings->>'fromLevel')::int
         join mesh as low on low.id = from_level.mesh_id
         join level as to_level on to_level.stack_id = level_stack.id and to_level.level = (pass.settings->>'toLevel')::int
         join mesh as sculpt on sculpt.id = to_level.mesh_id
        where span.id = any($1)
        order by array_position($1, span.id)`,
      { bind: [[...ids]], type: QueryTypes.SELECT },
    );
    if (rows.length < ids.length || rows.length === 0)
      throw new AppError('NOT_FOUND', 'A span of this pass, or one of its levels, is not here any more; load the page again.');
    return { ...rows[0], settings: rows.map(({ settings, kind }) => settingsOfKind(levelsPassSchema.parse(settings), kind)) };
  }

  fields(spanId: string): Promise<FieldRow[]> {
    return this.db.models.Field.findAll({ where: { spanId }, order: [['tile', 'ASC']] });
  }

  async field(id: string): Promise<FieldRow> {
    const row = await this.db.models.Field.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That field is not here; extract it again.');
    return row;
  }

  /** Replaces a tile's field; running the same task twice leaves the same row. */
  async writeField(spanId: string, field: NewField, transaction: Transaction): Promise<void> {
    await this.db.models.Field.destroy({ where: { spanId, tile: field.tile }, transaction });
    await this.db.models.Field.create({ spanId, ...field }, { transaction });
  }

  /** The newest pass of a part that has exactly these settings and, as far as it is measured, these meshes. */
  private async passLike(
    partId: string,
    settings: LevelsPass,
    { lowHash, sculptHash }: { readonly lowHash: string; readonly sculptHash: string },
    transaction: Transaction,
  ): Promise<{ readonly id: string; readonly spans: readonly SpanRow[] } | null> {
    const { Field, Pass, Span } = this.db.models;
    const passes: PassRow[] = await Pass.findAll({ where: { partId }, order: [['createdAt', 'DESC']], transaction });
    for (const { id, settings: stored } of passes) {
      const parsed = levelsPassSchema.safeParse(stored);
      if (!parsed.success || !isDeepStrictEqual(parsed.data, settings)) continue;
      const spans = await Span.unscoped().findAll({ where: { passId: id }, transaction });
      const fields = await Field.findAll({ where: { spanId: spans.map((s) => s.id) }, transaction });
      if (fields.every(({ info }) => info.lowHash === lowHash && info.sculptHash === sculptHash)) return { id, spans };
    }
    return null;
  }

  /** @returns whether the span had no encoding, and has this one now */
  async keepFirstEncoding(spanId: string, settings: EncodingSettings): Promise<boolean> {
    return this.db.sequelize.transaction(async (transaction) => {
      // one at a time for a span, as where it is saved
      await this.db.models.Span.unscoped().findByPk(spanId, { transaction, lock: transaction.LOCK.UPDATE });
      const [, isNew] = await this.db.models.Encoding.findOrCreate({ where: { spanId }, defaults: { spanId, settings }, transaction });
      return isNew;
    });
  }

  /** Saves an encoding that was changed from version `basedOn`.
   *  @returns the new version
   *  @throws AppError CONFLICT when somebody saved another one meanwhile; equal settings are no conflict */
  async saveEncoding(spanId: string, settings: EncodingSettings, basedOn: number): Promise<number> {
    return this.db.sequelize.transaction(async (transaction) => {
      // one at a time for a span, also when there is no row to lock yet
      await this.db.models.Span.unscoped().findByPk(spanId, { transaction, lock: transaction.LOCK.UPDATE });
      const row = await this.db.models.Encoding.findOne({ where: { spanId }, transaction });
      if (row === null) {
        await this.db.models.Encoding.create({ spanId, settings }, { transaction });
        return 1;
      }
      const current = encodingSchema.parse(row.settings);
      if (isDeepStrictEqual(current, settings)) return row.version;
      if (row.version !== basedOn)
        throw new AppError(
          'CONFLICT',
          'This encoding was changed in another tab meanwhile; nothing was overwritten. Choose which one to keep.',
        );
      await row.update({ settings, version: row.version + 1 }, { transaction });
      return row.version;
    });
  }

  async proof(id: string): Promise<ProofRow> {
    const row = await this.db.models.Proof.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That proof is not here; prove the map again.');
    return row;
  }

  mapFiles(proofId: string): Promise<MapFileRow[]> {
    return this.db.models.MapFile.findAll({ where: { proofId }, order: [['tile', 'ASC']] });
  }

  async writeStudy(proofId: string, study: ProofInfo['study'], transaction: Transaction): Promise<void> {
    await this.db.models.Proof.update({ study }, { where: { id: proofId }, transaction });
  }

  async writeProof(spanId: string, proof: NewProof, transaction: Transaction): Promise<void> {
    const { Proof, MapFile } = this.db.models;
    if (await Proof.findOne({ where: { jobId: proof.jobId }, transaction })) return;
    const { maps, ...rest } = proof;
    const { id } = await Proof.create({ spanId, ...rest }, { transaction });
    for (const map of maps) await MapFile.create({ proofId: id, ...map }, { transaction });
  }

  async mapFile(id: string): Promise<MapFileRow> {
    const row = await this.db.models.MapFile.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That map file is not here; prove the map again.');
    return row;
  }

  /** Hash of the mesh at a level of the part's stack. */
  async levelMeshHash(partId: string, level: number): Promise<string> {
    return (await this.levelMesh(partId, level)).hash;
  }

  /** Points of the free sculpt that a part's levels were made from; null without one. */
  async sculptPoints(partId: string): Promise<number | null> {
    const { Stack, Mesh } = this.db.models;
    const hash = (await Stack.findOne({ where: { partId } }))?.sculptHash ?? null;
    return hash === null ? null : ((await Mesh.findOne({ where: { hash } }))?.points ?? null);
  }

  /** The mesh at a level of the part's stack. @throws AppError NOT_FOUND */
  async levelMesh(partId: string, level: number): Promise<MeshRow> {
    const { Stack, Level, Mesh } = this.db.models;
    const stack = await Stack.findOne({ where: { partId } });
    const row = stack && (await Level.findOne({ where: { stackId: stack.id, level } }));
    const mesh = row && (await Mesh.findByPk(row.meshId));
    if (!mesh) throw new AppError('NOT_FOUND', `This part has no level ${level}; choose one from the Ladder.`);
    return mesh;
  }
}
