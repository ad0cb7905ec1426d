import { UnionFind } from '../runtime/union-find';
import { pointsOfSeveralFans } from './fans';
import { flippedFaces } from './flipped-faces';
import type { PolyMesh } from './poly-mesh';
import { faceCount, facesWhere, pointCount } from './poly-mesh';
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
  const P = pointCount(mesh);
  const edges = buildEdges(connectivityOf(mesh));
  const E = edges.edgeFaceCounts.length;
  const all = new UnionFind(P);
  const open = new UnionFind(P);
  const onBorder = new Uint8Array(P);
  const used = new Uint8Array(P);
  let crowdedEdges = 0;
  for (let e = 0; e < E; e++) {
    const a = edges.edgeVerts[2 * e];
    const b = edges.edgeVerts[2 * e + 1];
    all.join(a, b);
    used[a] = used[b] = 1;
    if (isCrowded(edges, e)) crowdedEdges++;
    if (edges.edgeFaceCounts[e] !== 1) continue;
    open.join(a, b);
    onBorder[a] = onBorder[b] = 1;
  }
  let loops = 0;
  let pieces = 0;
  for (let v = 0; v < P; v++) {
    if (onBorder[v] && open.root(v) === v) loops++;
    if (used[v] && all.root(v) === v) pieces++;
  }
  const touches = (f: number, is: (corner: number) => boolean): boolean => {
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) if (is(c)) return true;
    return false;
  };
  const crowded = crowdedEdges === 0 ? NO_FACES : facesWhere(mesh, (f) => touches(f, (c) => isCrowded(edges, edges.cornerEdges[c])));
  // ends of crowded edges and corners of flipped faces have several fans by their nature, and are named as such
  const atCrowded = new Uint8Array(P);
  for (let e = 0; e < E; e++)
    if (edges.edgeFaceCounts[e] > 2) atCrowded[edges.edgeVerts[2 * e]] = atCrowded[edges.edgeVerts[2 * e + 1]] = 1;
  const foldedAt = new Uint8Array(P);
  let foldedPoints = 0;
  for (const v of pointsOfSeveralFans(connectivityOf(mesh), edges)) {
    if (atCrowded[v]) continue;
    foldedAt[v] = 1;
    foldedPoints++;
  }
  const folded = foldedPoints === 0 ? NO_FACES : facesWhere(mesh, (f) => touches(f, (c) => foldedAt[mesh.faceVerts[c]] === 1));
  const openFaces = loops === 0 ? NO_FACES : facesWhere(mesh, (f) => touches(f, (c) => edges.edgeFaceCounts[edges.cornerEdges[c]] === 1));
  const loose = pieces > 1 ? besideLargest(mesh, all) : NO_FACES;
  return { crowded, crowdedEdges, folded, foldedPoints, flipped: flippedFaces(mesh, edges), loops, open: openFaces, pieces, loose };
}

/** Faces of every piece but the one that has the most. */
function besideLargest(mesh: PolyMesh, pieces: UnionFind): Uint32Array {
  const pieceOf = (f: number): number => pieces.root(mesh.faceVerts[mesh.faceOffsets[f]]);
  const sizes = new Uint32Array(pointCount(mesh));
  for (let f = 0; f < faceCount(mesh); f++) if (mesh.faceOffsets[f] < mesh.faceOffsets[f + 1]) sizes[pieceOf(f)]++;
  const largest = sizes.indexOf(sizes.reduce((a, b) => Math.max(a, b), 0));
  return facesWhere(mesh, (f) => pieceOf(f) !== largest);
}
