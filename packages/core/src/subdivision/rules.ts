import type { BoundaryRule, UvRule } from '../mesh/surface-rules';
import type { Connectivity, EdgeTable } from '../mesh/topology';
import { OPPOSED } from '../mesh/topology';

export const SMOOTH = 0;
export const CREASE = 1;
export const CORNER = 2;

/** Whether an edge has no smooth surface on both of its sides: borders, edges of three or more faces, neighbours that face opposite ways. */
export const isBreak = (edges: EdgeTable, e: number): boolean => edges.edgeFaceCounts[e] !== 2;
/** How many levels an edge stays sharp: breaks always, creases for as long as they say. */
export const sharpnessAt = (edges: EdgeTable, e: number): number => (isBreak(edges, e) ? Infinity : (edges.sharpness?.[e] ?? 0));
export const isSharp = (edges: EdgeTable, e: number): boolean => sharpnessAt(edges, e) > 0;

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
  /** V: how many levels a vertex stays a corner by itself; null where none does. */
  readonly pointSharpness: Float32Array | null;
}

/** How refinement places each vertex: by its kind on this level, and where its sharpness ends with it, partly by its kind after that. */
export interface VertexRules {
  readonly kinds: Uint8Array; // V
  readonly after: {
    readonly kinds: Uint8Array; // V
    readonly share: Float32Array; // V, of the kind on this level: 0 to 1
  } | null;
}

type CornerRule = 'sharp' | 'smooth' | 'all-borders';

/** Kind of each vertex: uint8[V], after `levels` more levels of fading sharpness. Two sharp edges make a crease, more a corner, none is smooth. Where the surface is not one fan of faces
 *  (points of several fans, ends of edges of three or more faces or of neighbours that face opposite ways) a vertex is a corner, unless more
 *  faces than edges meet there, exactly two of the edges are such and none is a border: the spine of a book, which a crease may cross. So does OpenSubdiv.
 *  @param corners whether a border vertex of a single face is held (`sharp`) or rounded (`smooth`); `all-borders` holds every border vertex. */
function vertexKinds(mesh: RuledMesh, corners: CornerRule, levels = 0): Uint8Array {
  const { connectivity, edges, folded, pointSharpness } = mesh;
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
  const spine = new Uint8Array(vertCount);
  for (let e = 0; e < edgeFaceCounts.length; e++) {
    if (!(sharpnessAt(edges, e) > levels)) continue;
    count(edgeVerts.subarray(2 * e, 2 * e + 2), sharp);
    if (edgeFaceCounts[e] === 1) border[edgeVerts[2 * e]] = border[edgeVerts[2 * e + 1]] = 1;
    else if (isBreak(edges, e)) count(edgeVerts.subarray(2 * e, 2 * e + 2), spine);
  }
  const manifold = manifoldVertices(connectivity, edges, folded);
  const isSpine = (v: number): boolean => spine[v] === 2 && border[v] === 0 && faces[v] > spokes[v];
  const kinds = new Uint8Array(vertCount);
  for (let v = 0; v < vertCount; v++) {
    const s = sharp[v];
    const held = pointSharpness !== null && pointSharpness[v] > levels;
    if (held || faces[v] === 0 || s > 2 || (manifold[v] === 0 && !isSpine(v))) kinds[v] = CORNER;
    else if (s === 2) {
      const corner = (corners === 'all-borders' && border[v] === 1) || (corners === 'sharp' && faces[v] === 1);
      kinds[v] = corner ? CORNER : CREASE;
    }
  }
  return kinds;
}

/** Where sharpness ends with this level, the kinds after it, and the share of those on it: the mean sharpness of what ends (uniform rule; as
 *  OpenSubdiv weighs it, after DeRose et al. 1998). Null where none ends. */
function afterFading(mesh: RuledMesh, corners: CornerRule): VertexRules['after'] {
  const { connectivity, edges, pointSharpness } = mesh;
  const { edgeVerts, sharpness } = edges;
  if (sharpness === undefined && pointSharpness === null) return null;
  const sums = new Float32Array(connectivity.vertCount);
  const counts = new Uint32Array(connectivity.vertCount);
  const ending = (v: number, s: number): void => {
    sums[v] += s;
    counts[v]++;
  };
  for (let e = 0; e < edges.edgeFaceCounts.length; e++) {
    const s = sharpnessAt(edges, e);
    if (s > 0 && s <= 1) for (const v of [edgeVerts[2 * e], edgeVerts[2 * e + 1]]) ending(v, s);
  }
  pointSharpness?.forEach((s, v) => {
    if (s > 0 && s <= 1) ending(v, s);
  });
  if (!counts.some((n) => n > 0)) return null;
  return { kinds: vertexKinds(mesh, corners, 1), share: sums.map((sum, v) => (counts[v] === 0 ? 1 : sum / counts[v])) };
}

/** Kinds on the next level where nothing but breaks is sharp: uint8[V + E + F]. A vertex keeps its kind, and every face has a smooth one; in the middle
 *  of a break two edges are sharp, and more faces than edges meet there unless it is between neighbours that face opposite ways. */
export function kindsBelow(kinds: Uint8Array, { edgeFaceCounts }: EdgeTable, faces: number): Uint8Array {
  const V = kinds.length;
  const E = edgeFaceCounts.length;
  const out = new Uint8Array(V + E + faces);
  out.set(kinds);
  for (let e = 0; e < E; e++) if (edgeFaceCounts[e] !== 2) out[V + e] = edgeFaceCounts[e] === OPPOSED ? CORNER : CREASE;
  return out;
}

/** How the geometry's vertices are placed under a boundary rule. */
export function geometryRules(mesh: RuledMesh, rule: BoundaryRule): VertexRules {
  const corners = rule === 'edge-and-corner' ? 'sharp' : 'smooth';
  return { kinds: vertexKinds(mesh, corners), after: afterFading(mesh, corners) };
}

/** How the UV mesh's vertices are placed under one of its rules; `linear` does not ask. Two rules tie UVs to their points (as in OpenSubdiv):
 *  under `smooth` those at a held corner of the surface are held, and so are all at a seam through a place where the surface is not one fan of
 *  faces.
 *  @param uv the UV mesh, over the same corners as `points` */
export function uvRules(uv: RuledMesh, points: RuledMesh, rule: UvRule, boundary: BoundaryRule): VertexRules {
  const corners = rule === 'boundaries' ? 'all-borders' : rule === 'corners' ? 'sharp' : 'smooth';
  const kinds = vertexKinds(uv, corners);
  const after = afterFading(uv, corners);
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
    if (!((holdsCorners && faces[v] === 1) || (manifold[v] === 0 && uvFaces[uvOf[c]] < faces[v]))) continue;
    kinds[uvOf[c]] = CORNER;
    if (after) after.kinds[uvOf[c]] = CORNER;
  }
  return { kinds, after };
}
