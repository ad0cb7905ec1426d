import type { Field } from '@estampe/core';

/** A field that is looked at in blocks: level 0 is the field itself, each further one half the one before. */
export interface OpenedField {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  /** The only block of the coarsest level. */
  readonly picture: Block;
  /** Columns and rows of blocks, by level. */
  readonly levels: readonly { readonly columns: number; readonly rows: number }[];
}
/** A part of a level, in memory of its own. */
export type Block = Field;
/** What a field says of one texel. */
export interface TexelRead {
  readonly values: readonly number[];
  readonly coverage: number;
}

export type BlockRequest = { readonly id: number; readonly fieldId: string } & (
  | { readonly type: 'open'; readonly picturesUrl: string; readonly dataUrl: string; readonly bytes: number }
  | { readonly type: 'block'; readonly level: number; readonly x: number; readonly y: number }
  | { readonly type: 'texel'; readonly x: number; readonly y: number }
);
export interface BlockAnswers {
  readonly open: OpenedField;
  readonly block: Block;
  readonly texel: TexelRead;
}
export type BlockReply =
  { readonly id: number; readonly answer: BlockAnswers[keyof BlockAnswers] } | { readonly id: number; readonly message: string };
