/** A mesh ready to be drawn. */
export interface DrawnMesh {
  readonly positions: Float32Array; // 3 P
  readonly normals: Float32Array; // 3 P
  readonly index: Uint32Array; // 3 T
  /** Signed distance to the sculpt a point; null where there is no proof. */
  readonly errors: Float32Array | null;
  /** UV outlines of faces as line segments (u, v, u, v), at most of a light mesh; empty otherwise. */
  readonly uvLines: Float32Array;
}
export interface MeshRequest {
  readonly id: number;
  readonly url: string;
  readonly errorsUrl: string | null;
  readonly withUvLines: boolean;
}
export type MeshReply = { readonly id: number; readonly mesh: DrawnMesh } | { readonly id: number; readonly message: string };
