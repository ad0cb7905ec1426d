import type { FileFacts, SceneFacts } from '@estampe/core';

/** A file with the folders that it came in. */
export interface FileAt {
  readonly path: string;
  readonly file: File;
}

/** What a mesh file holds, before it is sent. */
export interface LookedAt {
  /** Null for one that is too large to be read here. */
  readonly mesh: FileFacts['mesh'];
  readonly uvs: boolean;
  /** Where there are several. */
  readonly uvSets: readonly string[];
  readonly scene: Pick<SceneFacts, 'metresPerUnit' | 'up'>;
}

export type FileRequest = { readonly id: number; readonly look: File } | { readonly id: number; readonly unzip: FileAt };
export type FileReply =
  | { readonly id: number; readonly looked: LookedAt }
  | { readonly id: number; readonly unzipped: readonly FileAt[] }
  | { readonly id: number; readonly message: string };
