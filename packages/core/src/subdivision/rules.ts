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

/** 1 for each vertex around which the surface is one fan of faces that all face one way, else 0. @param folded vertices of several fans */
function manifoldVertices({ vertCount }: Connectivity, { edgeVerts, edgeFaceCounts }: EdgeTable, folded: Uint32Array): Uint8Array {
  const out = new Uint8Array(vertCount).fill(1);
  for (const v of folded) out[v] = 0;
  for (let e = 0; e < edgeFaceCounts.length; e++) if (edgeFaceCounts[e] > 2) out[edgeVerts[2 * e]] = out[edgeVerts[2 * e + 1]] = 0;
  return out;
}

/** A mesh as the rules look at it. */
export interface RuledMesh {
  readonly connectivity: Connectivity;
  readonly edges: EdgeTable;
  /** Vertices of several fans. */
  readonly folded: Uint32Array;
}

/** Kind of each vertex: uint8[V]. Two sharp edges make a crease, more a corner, none is smooth. Where the surface is not one fan of faces
 *  (points of several fans, ends of edges of three or more faces or of neighbours that face opposite ways) a vertex is a corner, unless more
 *  faces than edges meet there and exactly two of the edges are sharp: the spine of a book. So does OpenSubdiv.
 *  @param corners whether a border vertex of a single face is held (`sharp`) or rounded (`smooth`); `all-borders` holds every border vertex. */
function vertexKinds({ connectivity, edges, folded }: RuledMesh, corners: 'sharp' | 'smooth' | 'all-borders'): Uint8Array {
  const { faceVerts, vertCount } = connectivity;
  const { edgeVerts, edgeFaceCounts } = edges;
  const count = (ends: Uint32Array, counts = new Uint8Array(vertCount)): Uint8Array => {
    for (const v of ends) if (counts[v] < 255) counts[v]++;
    return counts;
  };
  const faces = count(faceVerts);
  const spokes = count(edgeVerts);
  const sharp = new Uint8Array(vertCount);
  const border = new Uint8Array(vertCount);
  for (let e = 0; e < edgeFaceCounts.length; e++) {
    if (!isSharp(edges, e)) continue;
    count(edgeVerts.subarray(2 * e, 2 * e + 2), sharp);
    if (edgeFaceCounts[e] === 1) border[edgeVerts[2 * e]] = border[edgeVerts[2 * e + 1]] = 1;
  }
  const manifold = manifoldVertices(connectivity, edges, folded);
  const kinds = new Uint8Array(vertCount);
  for (let v = 0; v < vertCount; v++) {
    const s = sharp[v];
    if (faces[v] === 0 || s > 2 || (manifold[v] === 0 && !(s === 2 && faces[v] > spokes[v]))) kinds[v] = CORNER;
    else if (s === 2) {
      const held = (corners === 'all-borders' && border[v] === 1) || (corners === 'sharp' && faces[v] === 1);
      kinds[v] = held ? CORNER : CREASE;
    }
  }
  return kinds;
}

/** Vertex kinds of the geometry under a boundary rule. */
export const geometryKinds = (mesh: RuledMesh, rule: BoundaryRule): Uint8Array =>
  vertexKinds(mesh, rule === 'edge-and-corner' ? 'sharp' : 'smooth');

/** Vertex kinds of the UV mesh under one of its rules; `linear` does not ask. Two rules tie UVs to their points (as in OpenSubdiv): under
 *  `smooth` those at a held corner of the surface are held, and so are all at a seam through a place where the surface is not one fan of faces.
 *  @param uv the UV mesh, over the same corners as `points` */
export function uvKinds(uv: RuledMesh, points: RuledMesh, rule: UvRule, boundary: BoundaryRule): Uint8Array {
  const kinds = vertexKinds(uv, rule === 'boundaries' ? 'all-borders' : rule === 'corners' ? 'sharp' : 'smooth');
  const manifold = manifoldVertices(points.connectivity, points.edges, points.folded);
  const faces = new Uint32Array(points.connectivity.vertCount);
  const uvFaces = new Uint32Array(uv.connectivity.vertCount);
  const pointOf = points.connectivity.faceVerts;
  const uvOf = uv.connectivity.faceVerts;
  for (let c = 0; c < uvOf.length; c++) {
    faces[pointOf[c]]++;
    uvFaces[uvOf[c]]++;
  }
  const holdsCorners = rule === 'smooth' && boundary === 'edge-and-corner';
  for (let c = 0; c < uvOf.length; c++) {
    const v = pointOf[c];
    if ((holdsCorners && faces[v] === 1) || (manifold[v] === 0 && uvFaces[uvOf[c]] < faces[v])) kinds[uvOf[c]] = CORNER;
  }
  return kinds;
}
