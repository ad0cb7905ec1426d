import type { EncodingSettings, ExtractSettings, FieldInfo, ProofInfo } from '@estampe/contracts';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import type { FieldRow, MapFileRow, SpanRow } from '../db/models';
import { AppError } from '../http/app-error';

export interface NewField {
  readonly tile: number;
  readonly hash: string;
  readonly info: Omit<FieldInfo, 'id' | 'tile'>;
}

export interface NewProof {
  readonly jobId: string;
  readonly encoding: EncodingSettings;
  readonly report: ProofInfo['report'];
  readonly meshHash: string;
  readonly errorsHash: string;
  readonly seconds: number;
  readonly maps: readonly { readonly tile: number; readonly name: string; readonly hash: string; readonly bytes: number }[];
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

  fields(spanId: string): Promise<FieldRow[]> {
    return this.db.models.Field.findAll({ where: { spanId }, order: [['tile', 'ASC']] });
  }

  async field(id: string): Promise<FieldRow> {
    const row = await this.db.models.Field.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That field is not here; extract it again.');
    return row;
  }

  /** Replaces the span's fields; running the same job twice leaves the same rows. */
  async writeFields(spanId: string, fields: readonly NewField[], transaction: Transaction): Promise<void> {
    await this.db.models.Field.destroy({ where: { spanId }, transaction });
    for (const f of fields) await this.db.models.Field.create({ spanId, ...f }, { transaction });
  }

  async saveEncoding(spanId: string, settings: EncodingSettings): Promise<void> {
    const [row, created] = await this.db.models.Encoding.findOrCreate({ where: { spanId }, defaults: { spanId, settings } });
    if (!created) await row.update({ settings });
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
    const { Stack, Level, Mesh } = this.db.models;
    const stack = await Stack.findOne({ where: { partId } });
    const row = stack && (await Level.findOne({ where: { stackId: stack.id, level } }));
    const mesh = row && (await Mesh.findByPk(row.meshId));
    if (!mesh) throw new AppError('NOT_FOUND', `This part has no level ${level}; choose one from the Ladder.`);
    return mesh.hash;
  }
}
