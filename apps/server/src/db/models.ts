import type {
  EncodingSettings,
  ExtractSettings,
  FieldInfo,
  FindingInfo,
  GroupsInfo,
  JobInfo,
  LevelsPass,
  MeasureRequest,
  Manifest,
  ProofInfo,
  StackKind,
  TransferFiguresInfo,
  UpAxis,
  UvFiguresInfo,
} from '@estampe/contracts';
import { settingsOfKind } from '@estampe/contracts';
import type { EncodingFigures, MapKind, NormalFigures, WrittenRecord } from '@estampe/core';
import type { CreationOptional, InferAttributes, InferCreationAttributes, ModelStatic, NonAttribute, Sequelize } from 'sequelize';
import { DataTypes, Model } from 'sequelize';

export class BlobRow extends Model<InferAttributes<BlobRow>, InferCreationAttributes<BlobRow>> {
  declare id: CreationOptional<string>;
  /** Null while its chunks are still arriving. */
  declare hash: string | null;
  declare bytes: number;
  declare createdAt: CreationOptional<Date>;
}
export class BlobChunkRow extends Model<InferAttributes<BlobChunkRow>, InferCreationAttributes<BlobChunkRow>> {
  declare blobId: string;
  declare index: number;
  declare data: Buffer;
}
export class ProductionRow extends Model<InferAttributes<ProductionRow>, InferCreationAttributes<ProductionRow>> {
  declare id: CreationOptional<string>;
  declare name: string;
  /** How its assets are measured where nobody has said anything else. */
  declare recipeId: CreationOptional<string | null>;
  declare createdAt: CreationOptional<Date>;
}
export class AssetRow extends Model<InferAttributes<AssetRow>, InferCreationAttributes<AssetRow>> {
  declare id: CreationOptional<string>;
  declare productionId: string;
  declare name: string;
  declare unit: string;
  declare up: CreationOptional<UpAxis>;
  declare createdAt: CreationOptional<Date>;
  /** Null unless it was removed; then it is found by nobody who does not ask for what was removed. */
  declare removedAt: CreationOptional<Date | null>;
}
export class PartRow extends Model<InferAttributes<PartRow>, InferCreationAttributes<PartRow>> {
  declare id: CreationOptional<string>;
  declare assetId: string;
  declare name: string;
  declare pictureHash: string;
  /** The job that made it; one job makes one part however often it is run. */
  declare jobId: string;
  /** How it is measured; null until somebody says. */
  declare recipe: CreationOptional<MeasureRequest | null>;
  /** Which of its states holds. */
  declare statePlace: CreationOptional<number>;
  declare createdAt: CreationOptional<Date>;
  declare removedAt: CreationOptional<Date | null>;
}
export class MeshRow extends Model<InferAttributes<MeshRow>, InferCreationAttributes<MeshRow>> {
  declare id: CreationOptional<string>;
  declare hash: string;
  declare points: number;
  declare faces: number;
  declare diagonal: number;
  declare tiles: number[];
  declare findings: FindingInfo[];
  /** Null in meshes from before this was kept. */
  declare colours: CreationOptional<boolean | null>;
  /** Null without UVs, and in meshes from before this was kept. */
  declare uv: CreationOptional<UvFiguresInfo | null>;
  /** Where they were made here; null for those that the mesh itself has. */
  declare groups: CreationOptional<GroupsInfo | null>;
  /** Of a level that was made from a free sculpt. */
  declare transfer: CreationOptional<TransferFiguresInfo | null>;
}
/** Which meshes a part's levels had at a time. */
export class PartStateRow extends Model<InferAttributes<PartStateRow>, InferCreationAttributes<PartStateRow>> {
  declare id: CreationOptional<string>;
  declare partId: string;
  declare place: number;
  /** What made it. */
  declare title: string;
  /** Without `detail` in states from before this was kept. */
  declare levels: { level: number; meshId: string; detail?: number | null }[];
  /** Null in states from before levels came and went: they are as the stack is. */
  declare kind: CreationOptional<StackKind | null>;
  declare createdAt: CreationOptional<Date>;
}
export class StackRow extends Model<InferAttributes<StackRow>, InferCreationAttributes<StackRow>> {
  declare id: CreationOptional<string>;
  declare partId: string;
  declare kind: StackKind;
  /** The free sculpt that a stack was made from. */
  declare sculptHash: CreationOptional<string | null>;
}
export class LevelRow extends Model<InferAttributes<LevelRow>, InferCreationAttributes<LevelRow>> {
  declare stackId: string;
  declare level: number;
  declare meshId: string;
  declare detail: number | null;
}
/** What the maps measured together have in common. */
export class PassRow extends Model<InferAttributes<PassRow>, InferCreationAttributes<PassRow>> {
  declare id: CreationOptional<string>;
  declare partId: string;
  declare settings: LevelsPass;
  declare createdAt: CreationOptional<Date>;
}
/** One map of a pass. Comes with its pass, unless that is left out (`unscoped`). */
export class SpanRow extends Model<InferAttributes<SpanRow>, InferCreationAttributes<SpanRow>> {
  declare id: CreationOptional<string>;
  declare passId: string;
  declare kind: MapKind;
  declare createdAt: CreationOptional<Date>;
  declare pass: NonAttribute<PassRow>;

  get partId(): NonAttribute<string> {
    return this.pass.partId;
  }
  /** Unchecked: it may come from an older version. */
  get settings(): NonAttribute<ExtractSettings> {
    return settingsOfKind(this.pass.settings, this.kind);
  }
}
export class FieldRow extends Model<InferAttributes<FieldRow>, InferCreationAttributes<FieldRow>> {
  declare id: CreationOptional<string>;
  declare spanId: string;
  declare tile: number;
  declare hash: string;
  declare info: Omit<FieldInfo, 'id' | 'tile'>;
}
export class EncodingRow extends Model<InferAttributes<EncodingRow>, InferCreationAttributes<EncodingRow>> {
  declare id: CreationOptional<string>;
  declare spanId: string;
  declare settings: EncodingSettings;
  declare version: CreationOptional<number>;
}
export class ProofRow extends Model<InferAttributes<ProofRow>, InferCreationAttributes<ProofRow>> {
  declare id: CreationOptional<string>;
  declare spanId: string;
  declare jobId: string;
  declare encoding: EncodingSettings;
  declare outcome: ProofInfo['outcome'];
  declare worst: ProofInfo['worst'];
  declare study: CreationOptional<ProofInfo['study']>;
  declare meshHash: string;
  declare errorsHash: string;
  declare seconds: number;
  declare createdAt: CreationOptional<Date>;
}
export class MapFileRow extends Model<InferAttributes<MapFileRow>, InferCreationAttributes<MapFileRow>> {
  declare id: CreationOptional<string>;
  declare proofId: string;
  declare tile: number;
  declare name: string;
  declare hash: string;
  declare bytes: number;
  declare record: WrittenRecord | null;
  declare figures: EncodingFigures | NormalFigures | null;
}
export class DeliveryRow extends Model<InferAttributes<DeliveryRow>, InferCreationAttributes<DeliveryRow>> {
  declare id: CreationOptional<string>;
  declare assetId: string;
  declare version: number;
  declare jobId: string;
  declare name: string;
  /** Null until its job has written it, with the three below. */
  declare manifest: CreationOptional<Manifest | null>;
  declare zipHash: CreationOptional<string | null>;
  declare sheetHash: CreationOptional<string | null>;
  declare bytes: CreationOptional<number | null>;
  declare createdAt: CreationOptional<Date>;
}
export class JobRow extends Model<InferAttributes<JobRow>, InferCreationAttributes<JobRow>> {
  declare id: CreationOptional<string>;
  declare kind: JobInfo['kind'];
  declare title: string;
  declare state: JobInfo['state'];
  declare payload: unknown;
  declare fraction: CreationOptional<number>;
  declare stage: CreationOptional<string>;
  declare error: CreationOptional<string | null>;
  declare assetId: CreationOptional<string | null>;
  declare spanId: CreationOptional<string | null>;
  /** Larger goes first; then `place`, smaller first. */
  declare priority: CreationOptional<number>;
  declare place: CreationOptional<number>;
  declare tasks: CreationOptional<number>;
  declare tasksDone: CreationOptional<number>;
  declare createdAt: CreationOptional<Date>;
  declare startedAt: CreationOptional<Date | null>;
  declare endedAt: CreationOptional<Date | null>;
}

export class TaskRow extends Model<InferAttributes<TaskRow>, InferCreationAttributes<TaskRow>> {
  declare jobId: string;
  /** 0 for the whole of a job. */
  declare tile: number;
  declare state: CreationOptional<'waiting' | 'running' | 'done' | 'failed' | 'cancelled'>;
  /** Until when its worker answers for it; past that, anybody may take it up again. */
  declare leasedUntil: CreationOptional<Date | null>;
  declare attempts: CreationOptional<number>;
  /** How often a lease on it ran out: its worker died over it. */
  declare deaths: CreationOptional<number>;
  declare fraction: CreationOptional<number>;
  declare error: CreationOptional<string | null>;
  declare startedAt: CreationOptional<Date | null>;
  declare endedAt: CreationOptional<Date | null>;
}

export class RecipeRow extends Model<InferAttributes<RecipeRow>, InferCreationAttributes<RecipeRow>> {
  declare id: CreationOptional<string>;
  declare name: string;
  declare unit: string;
  declare settings: MeasureRequest;
  declare createdAt: CreationOptional<Date>;
}

export interface Models {
  readonly Blob: ModelStatic<BlobRow>;
  readonly BlobChunk: ModelStatic<BlobChunkRow>;
  readonly Production: ModelStatic<ProductionRow>;
  readonly Asset: ModelStatic<AssetRow>;
  readonly Part: ModelStatic<PartRow>;
  readonly Mesh: ModelStatic<MeshRow>;
  readonly PartState: ModelStatic<PartStateRow>;
  readonly Stack: ModelStatic<StackRow>;
  readonly Level: ModelStatic<LevelRow>;
  readonly Pass: ModelStatic<PassRow>;
  readonly Span: ModelStatic<SpanRow>;
  readonly Field: ModelStatic<FieldRow>;
  readonly Encoding: ModelStatic<EncodingRow>;
  readonly Proof: ModelStatic<ProofRow>;
  readonly MapFile: ModelStatic<MapFileRow>;
  readonly Delivery: ModelStatic<DeliveryRow>;
  readonly Job: ModelStatic<JobRow>;
  readonly Task: ModelStatic<TaskRow>;
  readonly Recipe: ModelStatic<RecipeRow>;
}

/** Binds the models to one connection. Columns and constraints are the migrations' business. */
export function defineModels(sequelize: Sequelize): Models {
  const id = { type: DataTypes.UUID, primaryKey: true, defaultValue: DataTypes.UUIDV4 };
  const { UUID: uuid, TEXT: text, INTEGER: integer, BIGINT, DOUBLE: real, JSONB: json, DATE: date, BLOB: bytes } = DataTypes;
  const stamped = { sequelize, timestamps: true };
  const removable = { ...stamped, paranoid: true, deletedAt: 'removedAt' };
  const bare = { sequelize, timestamps: false };
  BlobRow.init({ id, hash: text, bytes: { type: BIGINT, get: bigint('bytes') }, createdAt: date }, { ...stamped, tableName: 'blob' });
  BlobChunkRow.init(
    { blobId: { type: uuid, primaryKey: true }, index: { type: integer, primaryKey: true }, data: bytes },
    { ...bare, tableName: 'blob_chunk' },
  );
  ProductionRow.init({ id, name: text, recipeId: uuid, createdAt: date }, { ...stamped, tableName: 'production' });
  AssetRow.init(
    {
      id,
      productionId: uuid,
      name: text,
      unit: text,
      up: { type: text, allowNull: false, defaultValue: 'y' },
      createdAt: date,
      removedAt: date,
    },
    { ...removable, tableName: 'asset' },
  );
  PartRow.init(
    { id, assetId: uuid, name: text, pictureHash: text, jobId: uuid, recipe: json, statePlace: integer, createdAt: date, removedAt: date },
    { ...removable, tableName: 'part' },
  );
  PartStateRow.init(
    { id, partId: uuid, place: integer, title: text, levels: json, kind: text, createdAt: date },
    { ...stamped, updatedAt: false, tableName: 'part_state' },
  );
  MeshRow.init(
    {
      id,
      hash: text,
      points: integer,
      faces: integer,
      diagonal: real,
      tiles: json,
      findings: json,
      colours: DataTypes.BOOLEAN,
      uv: json,
      groups: json,
      transfer: json,
    },
    { ...bare, tableName: 'mesh' },
  );
  StackRow.init({ id, partId: uuid, kind: text, sculptHash: text }, { ...bare, tableName: 'level_stack' });
  LevelRow.init(
    { stackId: { type: uuid, primaryKey: true }, level: { type: integer, primaryKey: true }, meshId: uuid, detail: real },
    { ...bare, tableName: 'level' },
  );
  PassRow.init({ id, partId: uuid, settings: json, createdAt: date }, { ...stamped, tableName: 'pass' });
  SpanRow.init(
    { id, passId: uuid, kind: text, createdAt: date },
    { ...stamped, tableName: 'span', defaultScope: { include: [{ model: PassRow, as: 'pass', required: true }] } },
  );
  SpanRow.belongsTo(PassRow, { as: 'pass', foreignKey: 'passId' });
  FieldRow.init({ id, spanId: uuid, tile: integer, hash: text, info: json }, { ...bare, tableName: 'field' });
  EncodingRow.init({ id, spanId: uuid, settings: json, version: integer }, { ...bare, tableName: 'encoding' });
  ProofRow.init(
    {
      id, spanId: uuid, jobId: uuid, encoding: json, outcome: json, worst: json, study: json, meshHash: text, errorsHash: text, seconds: real,
      createdAt: date,
    }, // prettier-ignore
    { ...stamped, tableName: 'proof' },
  );
  MapFileRow.init(
    {
      id,
      proofId: uuid,
      tile: integer,
      name: text,
      hash: text,
      bytes: { type: BIGINT, get: bigint('bytes') },
      record: json,
      figures: json,
    },
    { ...bare, tableName: 'map_file' },
  );
  DeliveryRow.init(
    {
      id, assetId: uuid, version: integer, jobId: uuid, name: text, manifest: json, zipHash: text, sheetHash: text,
      bytes: { type: BIGINT, get: bigint('bytes') }, createdAt: date,
    }, // prettier-ignore
    { ...stamped, tableName: 'delivery' },
  );
  JobRow.init(
    {
      id, kind: text, title: text, state: text, payload: json, fraction: real, stage: text, error: text, assetId: uuid, spanId: uuid,
      priority: integer, place: real, tasks: integer, tasksDone: integer, createdAt: date, startedAt: date, endedAt: date,
    }, // prettier-ignore
    { ...stamped, tableName: 'job' },
  );
  TaskRow.init(
    {
      jobId: { type: uuid, primaryKey: true }, tile: { type: integer, primaryKey: true }, state: text, leasedUntil: date, attempts: integer,
      deaths: integer, fraction: real, error: text, startedAt: date, endedAt: date,
    }, // prettier-ignore
    { ...bare, tableName: 'task' },
  );
  RecipeRow.init({ id, name: text, unit: text, settings: json, createdAt: date }, { ...stamped, tableName: 'recipe' });
  return {
    Blob: BlobRow, BlobChunk: BlobChunkRow, Production: ProductionRow, Asset: AssetRow, Part: PartRow, PartState: PartStateRow, Mesh: MeshRow, Stack: StackRow,
    Level: LevelRow, Pass: PassRow, Span: SpanRow, Field: FieldRow, Encoding: EncodingRow, Proof: ProofRow, MapFile: MapFileRow,
    Delivery: DeliveryRow, Job: JobRow, Task: TaskRow, Recipe: RecipeRow,
  }; // prettier-ignore
}

/** PostgreSQL gives 64 bit integers as text; ours stay below 2^53. */
function bigint(column: string) {
  return function (this: Model): number {
    return Number(this.getDataValue(column));
  };
}
