import type { EncodingSettings } from '@estampe/contracts';
import type { EncodingFigures } from '@estampe/core';

/** Bars of the Gauge over class 1 values; equal widths from `from` to `to`. */
export interface Histogram {
  readonly from: number;
  readonly to: number;
  readonly counts: Uint32Array;
  readonly total: number;
}

/** A field in memory that page and worker share. */
export interface LoadedField {
  readonly width: number;
  readonly height: number;
  readonly values: Float32Array;
  readonly coverage: Uint8Array;
  readonly histogram: Histogram;
}

/** Figures of one depth, with the fit that was used. */
export interface DepthFigures {
  readonly encoding: EncodingSettings;
  readonly figures: EncodingFigures;
  readonly bytes: number;
}

export type FieldRequest =
  | { readonly id: number; readonly type: 'load'; readonly fieldId: string; readonly url: string }
  | {
      readonly id: number;
      readonly type: 'fit';
      readonly fieldIds: readonly string[];
      readonly depth: EncodingSettings['depth'];
      readonly fit: string;
      readonly midpoint: number | null;
    }
  | { readonly id: number; readonly type: 'figures'; readonly fieldIds: readonly string[]; readonly encoding: EncodingSettings };

export interface FieldAnswers {
  readonly load: LoadedField;
  readonly fit: { readonly midpoint: number; readonly scale: number };
  readonly figures: DepthFigures;
}
export type FieldReply =
  { readonly id: number; readonly answer: FieldAnswers[keyof FieldAnswers] } | { readonly id: number; readonly message: string };
