import type { Connectivity, EdgeTable } from '../mesh/topology';

export type BoundaryRule = 'edge-and-corner' | 'edge-only';
/** How far UVs follow the surface: all linear, only corners fixed, borders linear, smooth everywhere. */
export type UvRule = 'linear' | 'corners' | 'boundaries' | 'smooth';

/** What a renderer has to be told about the surface; stands in every map's record. */
export interface SurfaceOptions {
  readonly boundary: BoundaryRule;
  readonly uv: UvRule;
}
export const SURFACE_DEFAULTS: SurfaceOptions = { boundary: 'edge-and-corner', uv: 'linear' };

export const SMOOTH = 0;
export const CREASE = 1;
export const CORNER = 2;

/** An edge is smooth only between exactly two faces: borders and edges of three or more faces are creases. */
export const isSharp = (edges: EdgeTable, e: number): boolean => edges.edgeFaceCounts[e] !== 2;

/** Kind of each vertex: uint8[V]. Two sharp edges make a crease, more a corner, one (a dart) stays smooth, none is smooth.
 *  @param corners whether a border vertex of a single face is held (`sharp`) or rounded (`smooth`); `all-borders` holds every border vertex. */
export function vertexKinds(
  { faceVerts, vertCount }: Connectivity,
  edges: EdgeTable,
  corners: 'sharp' | 'smooth' | 'all-borders',
): Uint8Array {
  const sharpCount = new Uint8Array(vertCount);
  const faces = new Uint8Array(vertCount);
  for (const v of faceVerts) if (faces[v] < 255) faces[v]++;
  const { edgeVerts } = edges;
  for (let e = 0; e < edgeVerts.length / 2; e++) {
    if (!isSharp(edges, e)) continue;
    if (sharpCount[edgeVerts[2 * e]] < 255) sharpCount[edgeVerts[2 * e]]++;
    if (sharpCount[edgeVerts[2 * e + 1]] < 255) sharpCount[edgeVerts[2 * e + 1]]++;
  }
  const kinds = new Uint8Array(vertCount);
  for (let v = 0; v < vertCount; v++) {
    const s = sharpCount[v];
    if (faces[v] === 0 || s > 2) kinds[v] = CORNER;
    else if (s === 2) kinds[v] = corners === 'all-borders' || (corners === 'sharp' && faces[v] === 1) ? CORNER : CREASE;
    else if (s === 1 && corners === 'all-borders') kinds[v] = CORNER;
  }
  return kinds;
}

/** Vertex kinds of the geometry under a boundary rule. */
export const geometryKinds = (c: Connectivity, edges: EdgeTable, rule: BoundaryRule): Uint8Array =>
  vertexKinds(c, edges, rule === 'edge-and-corner' ? 'sharp' : 'smooth');

/** Vertex kinds of the UV mesh under one of its rules; `linear` does not ask. Under `smooth` each UV follows its point where both have the
 *  same faces, so it is held at a held corner of the surface (as OpenSubdiv does).
 *  @param heldFaceVerts points of the faces' corners when single-face corners of the surface are held, else null */
export function uvKinds(c: Connectivity, edges: EdgeTable, rule: UvRule, heldFaceVerts: Uint32Array | null): Uint8Array {
  const kinds = vertexKinds(c, edges, rule === 'boundaries' ? 'all-borders' : rule === 'corners' ? 'sharp' : 'smooth');
  if (rule !== 'smooth' || heldFaceVerts === null) return kinds;
  const faces = new Uint32Array(heldFaceVerts.reduce((m, v) => Math.max(m, v), 0) + 1);
  for (const v of heldFaceVerts) faces[v]++;
  for (let i = 0; i < heldFaceVerts.length; i++) if (faces[heldFaceVerts[i]] === 1) kinds[c.faceVerts[i]] = CORNER;
  return kinds;
}
