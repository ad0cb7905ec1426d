import { UnionFind } from '../runtime/union-find';
import { pointsOfSeveralFans } from './fans';
import { flippedFaces } from './flipped-faces';
import type { PolyMesh } from './poly-mesh';
import { faceCount, facesWhere, pointCount } from './poly-mesh';
import type { FacesOfEdges } from './topology';
import { buildEdges, connectivityOf, isCrowded } from './topology';

/** What is wrong along edges and at points: faces concerned, at counts of their own. */
export interface EdgeFindings {
  readonly crowded: Uint32Array;
  readonly crowdedEdges: number;
  readonly folded: Uint32Array;
  readonly foldedPoints: number;
  readonly flipped: number[];
  /** Open borders, and faces along them. */
  readonly loops: number;
  readonly open: Uint32Array;
  /** Pieces that do not touch, and faces of all but the largest. */
  readonly pieces: number;
  readonly loose: Uint32Array;
}

const NO_FACES = new Uint32Array(0);

export function edgeFindings(mesh: PolyMesh): EdgeFindings {
  const { edges, atCrowded, all, ...counts } = alongEdges(mesh);
  const { cornerEdges, edgeFaceCounts } = edges;
  const touches = (f: number, is: (corner: number) => boolean): boolean => {
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) if (is(c)) return true;
    return false;
  };
  const where = (any: number, is: (corner: number) => boolean): Uint32Array =>
    any === 0 ? NO_FACES : facesWhere(mesh, (f) => touches(f, is));
  // ends of crowded edges and corners of flipped faces have several fans by their nature, and are named as such
  const foldedAt = pointsOfSeveralFans(connectivityOf(mesh), edges).filter((v) => atCrowded?.[v] !== 1);
  const folded = new Set(foldedAt);
  return {
    ...counts,
    crowded: where(counts.crowdedEdges, (c) => isCrowded(edges, cornerEdges[c])),
    folded: where(folded.size, (c) => folded.has(mesh.faceVerts[c])),
    foldedPoints: folded.size,
    flipped: flippedFaces(mesh, edges),
    open: where(counts.loops, (c) => edgeFaceCounts[cornerEdges[c]] === 1),
    loose: counts.pieces > 1 ? besideLargest(mesh, all) : NO_FACES,
  };
}

/** What edges say one by one; the points at their ends are not kept. */
function alongEdges(mesh: PolyMesh): Pick<EdgeFindings, 'crowdedEdges' | 'loops' | 'pieces'> & {
  readonly edges: FacesOfEdges;
  /** Of points, 1 at the ends of edges of three faces or of two that are opposed; null where there are none. */
  readonly atCrowded: Uint8Array | null;
  readonly all: UnionFind;
} {
  const P = pointCount(mesh);
  const { edgeVerts, cornerEdges, edgeFaceCounts } = buildEdges(connectivityOf(mesh));
  const edges = { cornerEdges, edgeFaceCounts };
  const all = new UnionFind(P);
  const open = edgeFaceCounts.includes(1) ? new UnionFind(P) : null;
  const atCrowded = edgeFaceCounts.some((faces) => faces > 2) ? new Uint8Array(P) : null;
  const seen = new Uint8Array(P); // 1: has an edge, 2: has an open one
  let crowdedEdges = 0;
  for (let e = 0; e < edgeFaceCounts.length; e++) {
    const a = edgeVerts[2 * e];
    const b = edgeVerts[2 * e + 1];
    all.join(a, b);
    if (isCrowded(edges, e)) crowdedEdges++;
    if (atCrowded !== null && edgeFaceCounts[e] > 2) atCrowded[a] = atCrowded[b] = 1;
    const isOpen = open !== null && edgeFaceCounts[e] === 1;
    if (isOpen) open.join(a, b);
    seen[a] |= isOpen ? 3 : 1;
    seen[b] |= isOpen ? 3 : 1;
  }
  let loops = 0;
  let pieces = 0;
  for (let v = 0; v < P; v++) {
    if (open !== null && seen[v] > 1 && open.root(v) === v) loops++;
    if (seen[v] > 0 && all.root(v) === v) pieces++;
  }
  return { edges, atCrowded, all, crowdedEdges, loops, pieces };
}

/** Faces of every piece but the one that has the most. */
function besideLargest(mesh: PolyMesh, pieces: UnionFind): Uint32Array {
  const pieceOf = (f: number): number => pieces.root(mesh.faceVerts[mesh.faceOffsets[f]]);
  const sizes = new Uint32Array(pointCount(mesh));
  for (let f = 0; f < faceCount(mesh); f++) if (mesh.faceOffsets[f] < mesh.faceOffsets[f + 1]) sizes[pieceOf(f)]++;
  const largest = sizes.indexOf(sizes.reduce((a, b) => Math.max(a, b), 0));
  return facesWhere(mesh, (f) => pieceOf(f) !== largest);
}
