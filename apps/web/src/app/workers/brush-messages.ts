import type { GroupsInfo } from '@estampe/contracts';
import type { Stroke } from '@estampe/core';
import type { DrawnMesh } from './mesh-messages';

/** Questions to the worker that holds the level under the brush. */
export type BrushQuestion =
  /** Takes a level up. `groups` where they were made here. */
  | {
      readonly ask: 'open';
      readonly url: string;
      readonly lightUrl: string;
      readonly groups: GroupsInfo | null;
      readonly sculptUrl: string | null;
    }
  /** `goesOn`: the stroke is the one before, carried on. */
  | { readonly ask: 'stroke'; readonly stroke: Stroke; readonly goesOn: boolean }
  | { readonly ask: 'undo' };

export interface OpenedLevel {
  /** With faces, so that they can be pressed on. */
  readonly mesh: DrawnMesh;
  readonly groups: readonly string[];
  /** Mean length of an edge. */
  readonly edge: number;
}
/** What a stroke changed: points and their places, and normals there and around. */
export interface Change {
  readonly moved: Uint32Array;
  readonly places: Float32Array; // 3 a moved point
  readonly turned: Uint32Array;
  readonly normals: Float32Array; // 3 a turned point
}
