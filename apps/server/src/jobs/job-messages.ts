import type { EncodingSettings, ExtractSettings, FieldInfo, ProofInfo } from '@estampe/contracts';
import type { ErrorRecord } from '@estampe/core';
import type { NewLevel } from '../repositories/assets';

/** What a job thread is given. Bytes lie in shared memory; nothing in here touches the database. */
export type JobInput =
  | { readonly kind: 'import'; readonly files: readonly { readonly name: string; readonly bytes: Uint8Array }[] }
  | {
      readonly kind: 'extract';
      readonly low: Uint8Array;
      readonly sculpt: Uint8Array;
      readonly settings: ExtractSettings;
      readonly unit: string;
    }
  | {
      readonly kind: 'proof';
      readonly low: Uint8Array;
      readonly sculpt: Uint8Array;
      readonly settings: ExtractSettings;
      readonly encoding: EncodingSettings;
      readonly fields: readonly { readonly tile: number; readonly bytes: Uint8Array }[];
      readonly subdivisions: number;
      readonly tolerance: number | null;
      readonly assetName: string;
    };

export interface ImportResult {
  readonly kind: 'import';
  readonly stackKind: 'stack' | 'free';
  readonly levels: readonly (Omit<NewLevel, 'meshHash'> & { readonly mesh: Uint8Array })[];
  readonly picture: Uint8Array; // PNG
}
export interface ExtractResult {
  readonly kind: 'extract';
  readonly fields: readonly { readonly tile: number; readonly file: Uint8Array; readonly info: Omit<FieldInfo, 'id' | 'tile'> }[];
}
export interface ProofResult {
  readonly kind: 'proof';
  readonly maps: readonly { readonly tile: number; readonly name: string; readonly file: Uint8Array }[];
  readonly report: ProofInfo['report'];
  readonly mesh: Uint8Array; // packed
  readonly errors: Uint8Array; // float32, one a point
  readonly seconds: number;
}
export type JobResult = ImportResult | ExtractResult | ProofResult;

/** `cancelled`: one shared int32, not 0 to stop. A busy thread hears no message. */
export interface ToJobThread {
  readonly input: JobInput;
  readonly cancelled: Int32Array;
}
export type FromJobThread =
  | { readonly type: 'progress'; readonly fraction: number; readonly stage: string }
  | { readonly type: 'result'; readonly result: JobResult }
  | { readonly type: 'error'; readonly error: ErrorRecord };
