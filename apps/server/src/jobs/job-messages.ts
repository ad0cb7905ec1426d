import type {
  EncodingSettings,
  ExtractSettings,
  FieldInfo,
  GroupsInfo,
  LevelEditRequest,
  Manifest,
  MendRequest,
  ProofInfo,
  StackKind,
  TransferFiguresInfo,
  TransferSettings,
  UnwrapRequest,
  UpAxis,
} from '@estampe/contracts';
import { coreOptions } from '@estampe/contracts';
import type {
  EncodingFigures,
  ErrorRecord,
  ExtractOptions,
  FrameRule,
  IslandEdit,
  WrittenRecord,
  MovingKind,
  NormalFigures,
} from '@estampe/core';
import * as z from 'zod';
import type { FileLane } from './file-lane';
import type { NewLevel } from '../repositories/assets';
import type { PackedLight } from './light-mesh';

/** A file on its way into a thread; bytes lie in shared memory. */
export interface NamedBytes {
  readonly name: string;
  readonly bytes: Uint8Array;
}
/** A file of a tile, as it is stored. */
export interface TileFile {
  readonly tile: number;
  readonly hash: string;
}
/** All of a tile's file. */
export type ReadTile = (file: TileFile) => Promise<Uint8Array>;
/** The two surfaces of a span, packed. */
export interface Pair {
  readonly low: Uint8Array;
  readonly sculpt: Uint8Array;
}
export interface StoredMap {
  readonly tile: number;
  readonly name: string;
  readonly hash: string;
  readonly bytes: number;
  readonly record: WrittenRecord;
  readonly figures: EncodingFigures | NormalFigures;
}
/** A proven map that goes into a delivery. */
export interface ChosenMap {
  readonly encoding: EncodingSettings;
  readonly outcome: ProofInfo['outcome'];
  readonly size: readonly [number, number];
  readonly files: readonly StoredMap[];
  /** Bytes of the first file, for the sheet's picture. */
  readonly shown: Uint8Array;
  /** Displaced mesh of the proof, packed; null for maps that move nothing. */
  readonly mesh: Uint8Array | null;
}

/** What a job thread is given. Nothing in here touches the database. */
export type JobInput =
  /** Its files are asked for one by one. */
  | {
      readonly kind: 'import';
      readonly files: readonly { readonly name: string; readonly hash: string }[];
      /** The mesh of a part that is completed, packed. */
      readonly there: ({ readonly name: string } & PackedLight) | null;
      readonly uvSet: string | null;
      readonly up: UpAxis;
    }
  /** `rungs`: levels 1 and up of a stack but the top, packed. */
  | ({ readonly kind: 'low'; readonly file: NamedBytes; readonly rungs: readonly Uint8Array[]; readonly unit: string } & PackedLight)
  /** `finer`: every level over the light mesh, or the free sculpt, packed. */
  | ({ readonly kind: 'split'; readonly finer: readonly Uint8Array[]; readonly stackKind: StackKind; readonly up: UpAxis } & PackedLight)
  /** A light mesh with its free sculpt, packed; `file` is a later light mesh that takes the sculpt's detail instead. */
  | ({
      readonly kind: 'transfer';
      readonly name: string;
      readonly sculpt: Uint8Array;
      readonly file: NamedBytes | null;
      readonly up: UpAxis;
      readonly request: TransferSettings;
    } & PackedLight)
  /** Levels from the light mesh up, packed; the light mesh's groups where they were made here; the free sculpt that they were made from. */
  | {
      readonly kind: 'levels';
      readonly levels: readonly { readonly meshId: string; readonly detail: number | null; readonly bytes: Uint8Array }[];
      readonly groups: GroupsInfo | null;
      readonly sculpt: Uint8Array | null;
      /** Of the finest level, as it came onto its sculpt. */
      readonly transfer: TransferFiguresInfo | null;
      readonly missed: readonly number[];
      readonly unit: string;
      readonly request: LevelEditRequest;
    }
  | ({ readonly kind: 'unwrap'; readonly rungs: readonly Uint8Array[]; readonly request: UnwrapRequest } & PackedLight)
  | ({ readonly kind: 'islands'; readonly rungs: readonly Uint8Array[]; readonly edit: IslandEdit } & PackedLight)
  | ({ readonly kind: 'mend'; readonly rungs: readonly Uint8Array[]; readonly request: MendRequest } & PackedLight)
  | {
      readonly kind: 'extract';
      readonly tile: number;
      /** Equal for tiles that are measured from the same surfaces with the same settings. */
      readonly key: string;
      /** One a map; all but the kind are the same. */
      readonly settings: readonly ExtractSettings[];
      readonly lowHash: string;
      readonly sculptHash: string;
      readonly unit: string;
      /** Null for a thread that holds the surfaces of this key. */
      readonly pair: Pair | null;
    }
  | ({
      readonly kind: 'proof';
      readonly settings: ExtractSettings;
      readonly encoding: EncodingSettings;
      /** Asked for one by one. */
      readonly fields: readonly TileFile[];
      readonly subdivisions: number;
      readonly tolerance: number | null;
      readonly assetName: string;
      readonly free: boolean;
    } & Pair)
  | ({
      readonly kind: 'study';
      readonly settings: ExtractSettings;
      readonly encoding: EncodingSettings;
      readonly outcome: Extract<ProofInfo['outcome'], { kind: MovingKind }>;
      /** Level that a vector map's frames were computed on; null for heights. */
      readonly frameLevel: number | null;
      readonly frameRule: FrameRule;
      /** Asked for one by one. */
      readonly maps: readonly TileFile[];
    } & Pair)
  | ({
      readonly kind: 'delivery';
      readonly asset: string;
      readonly version: number;
      readonly unit: string;
      readonly up: UpAxis;
      readonly createdAt: string;
      /** Of the light mesh, where the maps start from it. */
      readonly groups: GroupsInfo | null;
      readonly settings: ExtractSettings;
      readonly free: boolean;
      readonly withSculpt: boolean;
      readonly maps: readonly ChosenMap[];
    } & Pair);

/** A part on its way into the database. */
export interface ImportedPart {
  readonly stackKind: StackKind;
  readonly levels: readonly (Omit<NewLevel, 'meshHash'> & { readonly mesh: Uint8Array })[];
  readonly picture: Uint8Array; // PNG
}
export interface ImportResult extends ImportedPart {
  readonly kind: 'import';
}
export interface SplitResult {
  readonly kind: 'split';
  /** By the names of their groups. */
  readonly parts: readonly (ImportedPart & { readonly name: string })[];
}
export interface TransferResult extends ImportedPart {
  readonly kind: 'transfer';
  readonly name: string;
}
/** A level that stays as it is, with what it adds over the one that is now below it. */
export interface KeptLevel {
  readonly kept: string; // the mesh's id
  readonly detail: number | null;
}
export interface LevelsResult {
  readonly kind: 'levels';
  /** What changed, in a few words. */
  readonly title: string;
  /** From the light mesh up. */
  readonly levels: readonly (KeptLevel | ImportedPart['levels'][number])[];
}
export interface LowResult {
  readonly kind: 'low';
  /** What changed, in a few words. */
  readonly title: string;
  readonly level: Omit<NewLevel, 'meshHash'> & { readonly mesh: Uint8Array };
  /** Of a stack, where UVs changed: levels 1 and up with theirs. */
  readonly rungs: readonly Uint8Array[];
}
export interface ExtractResult {
  readonly kind: 'extract';
  readonly tile: number;
  /** One a map, in the order asked for. */
  readonly maps: readonly {
    readonly file: Uint8Array;
    /** Of large fields. */
    readonly pictures: Uint8Array | null;
    readonly info: Omit<FieldInfo, 'id' | 'tile' | 'picturesHash'>;
  }[];
}
/** A small picture of some rows of a tile, for looking at while it is measured. */
export interface PieceOfTile {
  readonly tile: number;
  readonly kind: string;
  /** Of the whole small picture. */
  readonly width: number;
  readonly height: number;
  /** First row of the piece. */
  readonly y0: number;
  /** Value that 32767 stands for. */
  readonly range: number;
  readonly data: Int16Array; // whole rows; -32768 where nothing is known
}
export interface ProofResult {
  readonly kind: 'proof';
  readonly maps: readonly {
    readonly tile: number;
    readonly name: string;
    readonly file: Uint8Array;
    readonly record: WrittenRecord;
    readonly figures: EncodingFigures | NormalFigures;
  }[];
  readonly outcome: ProofInfo['outcome'];
  readonly worst: ProofInfo['worst'];
  readonly mesh: Uint8Array; // packed
  readonly errors: Uint8Array; // float32, one a point
  readonly seconds: number;
}
export interface StudyResult {
  readonly kind: 'study';
  readonly study: NonNullable<ProofInfo['study']>;
}
export interface DeliveryResult {
  readonly kind: 'delivery';
  readonly manifest: Manifest;
  readonly sheet: Uint8Array; // HTML
  /** In the order of the zip: bytes, or the hash of what is stored already. */
  readonly files: readonly ({ readonly path: string } & ({ readonly bytes: Uint8Array } | { readonly hash: string }))[];
}
export type JobResult =
  ImportResult | SplitResult | TransferResult | LevelsResult | LowResult | ExtractResult | ProofResult | StudyResult | DeliveryResult;

/** What a job thread is started with. */
export const threadData = z.object({ threads: z.number().int().min(1).optional() });

/** `cancelled`: one shared int32, not 0 to stop. A busy thread hears no message. `lane`: on which a file comes that was asked for. */
export type ToJobThread = { readonly input: JobInput; readonly cancelled: Int32Array } | { readonly lane: FileLane };
export type FromJobThread =
  | { readonly type: 'progress'; readonly fraction: number; readonly stage: string }
  | { readonly type: 'piece'; readonly piece: PieceOfTile }
  | { readonly type: 'file'; readonly hash: string }
  /** A place on the lane of that file is empty. */
  | { readonly type: 'taken' }
  | { readonly type: 'result'; readonly result: JobResult }
  | { readonly type: 'error'; readonly error: ErrorRecord };

/** Options of the core that the settings of a pass stand for, one map each. */
export const spanOptions = (settings: readonly ExtractSettings[]): Partial<ExtractOptions> =>
  coreOptions(
    { ...settings[0], matchSeams: settings.some((s) => s.matchSeams), fitTexels: settings.some((s) => s.fitTexels) },
    settings.map((s) => s.kind),
  );
