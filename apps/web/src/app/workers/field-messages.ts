import type { EncodingSettings } from '@estampe/contracts';
import type { EncodingFigures, Ends, FieldSample, MapKind } from '@estampe/core';

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
  readonly channels: 1 | 3;
  readonly kind: MapKind;
  readonly values: Float32Array; // channels x W x H
  readonly coverage: Uint8Array;
  readonly histogram: Histogram;
}

/** What one encoding does to a span's fields. Angles of a normal map in degrees; null for heights. */
export interface DepthFigures {
  readonly encoding: EncodingSettings;
  readonly figures: EncodingFigures;
  readonly angles: { readonly rest: number; readonly rms: number; readonly max: number } | null;
  readonly bytes: number;
  /** Of all rows, how many were looked at; 1 where the fields fit into memory. */
  readonly lookedAt: number;
  /** Share that each tile alone has cut off, in the order of the fields. */
  readonly clippedByTile: readonly number[];
}

/** A fit of a depth with its figures, before it is taken. */
export interface TriedFit {
  readonly fit: string;
  readonly result: DepthFigures;
}

/** The roughest terraces of a field, in clay under raking light: one grey picture a depth. */
export interface Swatch {
  readonly side: number;
  /** First texel of the part that is shown. */
  readonly at: readonly [number, number];
  /** Length of its side on the surface. */
  readonly units: number;
  readonly pictures: readonly { readonly depth: EncodingSettings['depth']; readonly grey: Uint8ClampedArray }[];
}

/** Ten steps around rest: how the heights are spread there, and which of them can be stored. Lengths. */
export interface Lens {
  readonly step: number;
  readonly half: number; // the lens shows -half to half
  readonly counts: Uint32Array;
  readonly inside: number; // of the whole fields; where only some rows were looked at, by their share
  readonly isAbout: boolean;
  readonly codes: readonly number[];
}

/** Texels of note, to be laid on the surface and the Sheet: 0 none, 1 missed, 2 doubtful, 3 clipped, 4 mended. */
export interface Marks {
  readonly side: number;
  readonly classes: Uint8Array; // side x side, rows from the top; where several fall together, the lowest number wins
  readonly missed: number;
  readonly doubtful: number;
  readonly clipped: number;
  readonly mended: number;
}

export type FieldRequest =
  | { readonly id: number; readonly type: 'load'; readonly fieldId: string; readonly url: string }
  /** Loads as much of a field as a sample wants; `bytes` are those of its file. */
  | {
      readonly id: number;
      readonly type: 'sample';
      readonly fieldId: string;
      readonly url: string;
      readonly bytes: number;
      readonly sample: FieldSample;
    }
  | { readonly id: number; readonly type: 'forget'; readonly fieldIds: readonly string[] }
  | {
      readonly id: number;
      readonly type: 'fit';
      readonly fieldIds: readonly string[];
      readonly depth: EncodingSettings['depth'];
      readonly fit: string;
      readonly midpoint: number | null;
      /** Vector maps: the order of the channels, and whether each gets a range of its own. */
      readonly axes: string;
      readonly each: boolean;
    }
  /** How the values of the channels are spread, in the order that they are stored in. */
  | { readonly id: number; readonly type: 'spread'; readonly fieldId: string; readonly axes: string }
  | { readonly id: number; readonly type: 'figures'; readonly fieldIds: readonly string[]; readonly encoding: EncodingSettings }
  | { readonly id: number; readonly type: 'swatch'; readonly fieldId: string; readonly encodings: readonly EncodingSettings[] }
  | { readonly id: number; readonly type: 'lens'; readonly fieldIds: readonly string[]; readonly encoding: EncodingSettings }
  /** Needs nothing loaded: what is not there is read through, strip by strip, where anything of note can be in it at all. */
  | {
      readonly id: number;
      readonly type: 'marks';
      readonly fieldId: string;
      readonly url: string;
      readonly bytes: number;
      /** Missed, doubtful and mended texels, and the ends of what is inside; empty where these are not known. */
      readonly ofNote: number;
      readonly ends: readonly Ends[];
      readonly encoding: EncodingSettings | null;
    };

export interface FieldAnswers {
  readonly load: LoadedField;
  readonly sample: null;
  readonly forget: null;
  readonly fit: Pick<EncodingSettings, 'midpoint' | 'scale' | 'each'>;
  readonly spread: Histogram;
  readonly figures: DepthFigures;
  readonly swatch: Swatch | null;
  readonly lens: Lens;
  readonly marks: Marks;
}
export type FieldReply =
  { readonly id: number; readonly answer: FieldAnswers[keyof FieldAnswers] } | { readonly id: number; readonly message: string };
