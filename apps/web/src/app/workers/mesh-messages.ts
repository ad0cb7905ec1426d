import type { FaceGroups, FaceLinks, MendName, MeshSeams, UvLayers } from '@estampe/core';

/** A mesh ready to be drawn. */
export interface DrawnMesh {
  readonly positions: Float32Array; // 3 P
  readonly normals: Float32Array; // 3 P
  readonly index: Uint32Array; // 3 T
  /** Errors of a proof a point: signed lengths, or degrees; null where there is no proof. */
  readonly errors: Float32Array | null;
  /** Face of each triangle, uint32[T]; only for a light mesh. */
  readonly faces: Uint32Array | null;
  /** UVs a point, relative to its tile, and the tile, where points are split along seams; null otherwise. */
  readonly uvs: Float32Array | null; // 2 P
  readonly tiles: Float32Array | null; // P
  /** UV outlines of faces as line segments (u, v, u, v), at most of a light mesh; empty otherwise. */
  readonly uvLines: Float32Array;
  /** Where each face's outline begins among them, uint32[F + 1]; null otherwise. */
  readonly uvLinesOfFaces: Uint32Array | null;
  /** Island of each face of a light mesh that has UVs, uint32[F]; null otherwise. */
  readonly islands: Uint32Array | null;
  /** Stretch and density of a light mesh that has UVs; null otherwise. */
  readonly uvLayers: UvLayers | null;
}

/** `light`: with faces and UV outlines; `sheeted`: split along UV seams, so that a map can be laid on it; `plain`: neither. */
export type MeshUse = 'plain' | 'light' | 'sheeted';
export interface MeshRequest {
  readonly id: number;
  readonly url: string;
  readonly errorsUrl: string | null;
  readonly use: MeshUse;
  /** Of a refined mesh: so many levels coarser. */
  readonly coarser: number;
}
/** What a mend would do to a light mesh; nothing is kept. */
export interface MendTrial {
  readonly id: number;
  readonly url: string;
  readonly mend: MendName;
  readonly amount: number | null;
}
export interface MendOutcome {
  readonly count: number;
  readonly points: readonly [before: number, after: number];
  readonly faces: readonly [before: number, after: number];
  /** The mesh as it would be, with faces and UV outlines. */
  readonly drawn: DrawnMesh;
}
/** Asks for the groups of a mesh, and how its faces lie together. */
export interface FacesRequest {
  readonly id: number;
  readonly url: string;
  readonly faces: true;
}
/** Asks for the edges of a mesh and its seams. */
export interface SeamsRequest {
  readonly id: number;
  readonly url: string;
  readonly seams: true;
}
export type SeamsReply = { readonly id: number; readonly meshSeams: MeshSeams } | { readonly id: number; readonly message: string };
export interface MeshFaces {
  readonly groups: FaceGroups;
  readonly links: FaceLinks;
}
export type FacesReply = { readonly id: number; readonly meshFaces: MeshFaces } | { readonly id: number; readonly message: string };
export type MendReply = { readonly id: number; readonly outcome: MendOutcome } | { readonly id: number; readonly message: string };
export type MeshReply = { readonly id: number; readonly mesh: DrawnMesh } | { readonly id: number; readonly message: string };
