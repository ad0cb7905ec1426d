import type { EncodingSettings, ExtractSettings, FieldInfo, ProofInfo } from '@estampe/contracts';
import { encodingSchema, extractSettingsSchema } from '@estampe/contracts';
import type { EncodingFigures, MapRecord, NormalFigures } from '@estampe/core';
import type { Transaction } from 'sequelize';
import { QueryTypes } from 'sequelize';
import { isDeepStrictEqual } from 'node:util';
import type { Database } from '../db/connect';
import type { FieldRow, MapFileRow, MeshRow, ProofRow, SpanRow } from '../db/models';
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
    readonly record: MapRecord;
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
  readonly sculptFaces: number;
}

/** Spans with their fields, encodings, proofs and map files. */
export class Spans {
  constructor(private readonly db: Database) {}

  async create(partId: string, settings: ExtractSettings, transaction: Transaction): Promise<string> {
    return (await this.db.models.Span.create({ partId, settings }, { transaction })).id;
  }

  async get(id: string): Promise<SpanRow> {
    const row = await this.db.models.Span.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That span is not here; load the page again.');
    return row;
  }

  /** One question for the whole pass: every worker asks it again for each of its tiles. @param ids spans that are measured together
   *  @throws AppError NOT_FOUND */
  async pass(ids: readonly string[]): Promise<PassFacts> {
    const rows = await this.db.sequelize.query<Omit<PassFacts, 'settings'> & { readonly settings: unknown }>(
      `select span.settings, asset.unit, low.hash as "lowHash", sculpt.hash as "sculptHash", sculpt.faces as "sculptFaces"
         from span
         join part on part.id = span.part_id
         join asset on asset.id = part.asset_id
         join level_stack on level_stack.part_id = part.id
         join level as from_level on from_level.stack_id = level_stack.id and from_level.level = (span.settings->>'fromLevel')::int
         join mesh as low on low.id = from_level.mesh_id
         join level as to_level on to_level.stack_id = level_stack.id and to_level.level = (span.settings->>'toLevel')::int
         join mesh as sculpt on sculpt.id = to_level.mesh_id
        where span.id = any($1)
        order by array_position($1, span.id)`,
      { bind: [[...ids]], type: QueryTypes.SELECT },
    );
    if (rows.length < ids.length || rows.length === 0)
      throw new AppError('NOT_FOUND', 'A span of this pass, or one of its levels, is not here any more; load the page again.');
    return { ...rows[0], settings: rows.map((row) => extractSettingsSchema.parse(row.settings)) };
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

  /** A span of a part that has exactly these settings and, as far as it is measured, these meshes; the newest. */
  async like(
    partId: string,
    settings: ExtractSettings,
    hashes: { readonly lowHash: string; readonly sculptHash: string },
  ): Promise<string | null> {
    const rows = await this.db.models.Span.findAll({ where: { partId }, order: [['createdAt', 'DESC']] });
    for (const row of rows) {
      if (!isDeepStrictEqual(extractSettingsSchema.parse(row.settings), settings)) continue;
      const fields = await this.fields(row.id);
      if (fields.every(({ info }) => info.lowHash === hashes.lowHash && info.sculptHash === hashes.sculptHash)) return row.id;
    }
    return null;
  }

  /** Saves an encoding that was changed from version `basedOn`.
   *  @returns the new version
   *  @throws AppError CONFLICT when somebody saved another one meanwhile; equal settings are no conflict */
  async saveEncoding(spanId: string, settings: EncodingSettings, basedOn: number): Promise<number> {
    return this.db.sequelize.transaction(async (transaction) => {
      // one at a time for a span, also when there is no row to lock yet
      await this.db.models.Span.findByPk(spanId, { transaction, lock: transaction.LOCK.UPDATE });
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
