import type { Gathered } from '../mesh/nearby-order';
import { neighboursOf } from '../mesh/neighbours';
import type { PolyMesh } from '../mesh/poly-mesh';
import { hasCompleteUvs, pointCount } from '../mesh/poly-mesh';
import type { EdgeTable } from '../mesh/topology';
import { UnionFind } from '../runtime/union-find';
import { cornerOfKind, EDGE, FACE, formerPlaces, OLD } from './former-places';

const NONE = 255;

/** What refining made each point of a mesh from. */
export interface Kinds {
  readonly kind: Uint8Array; // P
  /** Pieces that several labellings are right for. */
  readonly ambiguous: number;
  readonly onBorder: Uint8Array; // P
  readonly quadsAt: Uint32Array; // P
}

/** A refinement leaves quads of an old point, an edge point on each side of it, and a face point over against it. */
interface Quads {
  readonly mesh: PolyMesh;
  readonly edges: EdgeTable;
  readonly onBorder: Uint8Array; // P
  readonly quadsAt: Uint32Array; // P
  /** Points by two colours that take turns along edges: edge points are of one of them. */
  readonly colour: Uint8Array; // P
  /** Piece of each point, and how many there are. */
  readonly pieceOf: Uint32Array;
  readonly pieces: number;
}

/** Tells the points of an all-quad mesh into old, edge and face points. Edge points are one of two colours along edges, and the others take turns
 *  across quads: the four choices are tried for each piece. An edge point has two old neighbours; a face point lies inside, with three quads or more.
 *  @param gathered the mesh, with the numbers that its points have in the file  @returns why the mesh is no refinement, where it is none */
export function labelPoints({ mesh, points }: Gathered, edges: EdgeTable): Kinds | string {
  const quads = colouredQuads(mesh, edges, points);
  if (typeof quads === 'string') return quads;
  const { pieces, pieceOf } = quads;
  const P = pointCount(mesh);
  const choices = [0, 1].flatMap((edgeColour) => [OLD, FACE].map((turn) => labelled(quads, edgeColour, turn)));
  const kind = new Uint8Array(P).fill(NONE);
  const best = new Int32Array(pieces).fill(-1);
  let ambiguous = 0;
  const open: number[] = [];
  for (let piece = 0; piece < pieces; piece++) {
    const right = choices.flatMap((choice, i) => (choice.right[piece] === 1 ? [i] : []));
    if (right.length === 0) {
      const at = points.reduce((least, number, v) => (pieceOf[v] === piece && number < least ? number : least), P);
      return `the piece at point ${at} is no refinement: its points cannot be told into old ones, middles of edges and middles of faces`;
    }
    best[piece] = right[0];
    if (right.length > 1) {
      ambiguous++;
      open.push(piece);
    }
  }
  if (ambiguous > 0) {
    const marks = choices.map(({ kind, right }) => (right.includes(1) ? marksOf(quads, kind, points) : null));
    for (const piece of open) {
      const right = choices.flatMap((choice, i) => (choice.right[piece] === 1 ? [i] : []));
      best[piece] = right.reduce((a, b) => (isLikelier(marks[b], marks[a], piece) ? b : a));
    }
  }
  for (let v = 0; v < P; v++) kind[v] = choices[best[pieceOf[v]]].kind[v];
  return { kind, ambiguous, onBorder: quads.onBorder, quadsAt: quads.quadsAt };
}

function colouredQuads(mesh: PolyMesh, edges: EdgeTable, numbers: Uint32Array): Quads | string {
  const P = pointCount(mesh);
  const { start, points } = neighboursOf(edges, P);
  const colour = new Uint8Array(P).fill(NONE);
  const sets = new UnionFind(P);
  for (let e = 0; e < edges.edgeVerts.length; e += 2) sets.join(edges.edgeVerts[e], edges.edgeVerts[e + 1]);
  const { of: pieceOf, count: pieces } = sets.numbered();
  const queue = new Uint32Array(P);
  for (let seed = 0; seed < P; seed++) {
    if (start[seed] === start[seed + 1]) return `point ${numbers[seed]} has no face, and refining makes none such`;
    if (colour[seed] !== NONE) continue;
    colour[seed] = 0;
    queue[0] = seed;
    for (let i = 0, end = 1; i < end; i++)
      for (let n = start[queue[i]]; n < start[queue[i] + 1]; n++) {
        const to = points[n];
        if (colour[to] === colour[queue[i]]) return `around point ${numbers[to]} faces do not lie in twos, as refining leaves them`;
        if (colour[to] !== NONE) continue;
        colour[to] = 1 - colour[queue[i]];
        queue[end++] = to;
      }
  }
  const onBorder = new Uint8Array(P);
  for (let e = 0; e < edges.edgeFaceCounts.length; e++)
    if (edges.edgeFaceCounts[e] === 1) onBorder[edges.edgeVerts[2 * e]] = onBorder[edges.edgeVerts[2 * e + 1]] = 1;
  const quadsAt = new Uint32Array(P);
  for (const v of mesh.faceVerts) quadsAt[v]++;
  return { mesh, edges, onBorder, quadsAt, colour, pieceOf, pieces };
}

/** Kinds for one choice of the edge points' colour and of the first other point's kind in each piece, and for which pieces that is right. */
function labelled(
  { mesh: { faceVerts }, edges, onBorder, quadsAt, colour, pieceOf, pieces }: Quads,
  edgeColour: number,
  turn: number,
): { kind: Uint8Array; right: Uint8Array } {
  const P = colour.length;
  const Q = faceVerts.length / 4;
  const pairs = new Uint32Array(2 * Q);
  for (let q = 0; q < Q; q++) {
    const k = colour[faceVerts[4 * q]] === edgeColour ? 1 : 0;
    pairs[2 * q] = faceVerts[4 * q + k];
    pairs[2 * q + 1] = faceVerts[4 * q + k + 2];
  }
  const { start, points } = neighboursOf({ edgeVerts: pairs }, P);
  const kind = new Uint8Array(P).fill(NONE);
  const right = new Uint8Array(pieces).fill(1);
  const queue = new Uint32Array(P);
  for (let seed = 0; seed < P; seed++) {
    if (colour[seed] === edgeColour) kind[seed] = EDGE;
    if (kind[seed] !== NONE) continue;
    kind[seed] = turn;
    queue[0] = seed;
    for (let i = 0, end = 1; i < end; i++) {
      const v = queue[i];
      for (let n = start[v]; n < start[v + 1]; n++) {
        const w = points[n];
        if (kind[w] === kind[v]) right[pieceOf[w]] = 0;
        if (kind[w] !== NONE) continue;
        kind[w] = kind[v] === OLD ? FACE : OLD;
        queue[end++] = w;
      }
    }
  }
  const olds = new Uint32Array(P);
  for (let e = 0; e < edges.edgeVerts.length; e += 2) {
    const [a, b] = [edges.edgeVerts[e], edges.edgeVerts[e + 1]];
    if (kind[a] === OLD) olds[b]++;
    if (kind[b] === OLD) olds[a]++;
  }
  for (let v = 0; v < P; v++)
    if (kind[v] === EDGE ? olds[v] !== 2 : kind[v] === FACE && (onBorder[v] === 1 || quadsAt[v] < 3)) right[pieceOf[v]] = 0;
  return { kind, right };
}

/** How well a labelling looks, a piece. */
interface Marks {
  readonly inOrder: Uint8Array; // 1 where the points stand in the order of refining
  readonly uv: Float64Array; // how far face points' UVs are from the mean of their old points'
  readonly place: Float64Array; // how far face points are from the mean of what their old points were
}

/** By the order of the file, then by UVs, then by places. */
function isLikelier(a: Marks | null, b: Marks | null, piece: number): boolean {
  if (a === null || b === null) return b === null;
  if (a.inOrder[piece] !== b.inOrder[piece]) return a.inOrder[piece] === 1;
  const [u, v] = [a.uv[piece], b.uv[piece]];
  if (Math.min(u, v) < CLEARLY * Math.max(u, v)) return u < v;
  return a.place[piece] < b.place[piece];
}
/** UVs decide where one way leaves this much less than another. */
const CLEARLY = 0.01;

function marksOf(quads: Quads, kind: Uint8Array, numbers: Uint32Array): Marks {
  const { mesh, pieceOf, pieces } = quads;
  const P = kind.length;
  // the first and last number of each kind, a piece
  const least = new Uint32Array(3 * pieces).fill(P);
  const most = new Int32Array(3 * pieces).fill(-1);
  for (let v = 0; v < P; v++) {
    const at = 3 * pieceOf[v] + kind[v];
    least[at] = Math.min(least[at], numbers[v]);
    most[at] = Math.max(most[at], numbers[v]);
  }
  const inOrder = new Uint8Array(pieces).map((_, piece) =>
    most[3 * piece + OLD] < least[3 * piece + EDGE] && most[3 * piece + EDGE] < least[3 * piece + FACE] ? 1 : 0,
  );
  const uv = new Float64Array(pieces);
  const { uvs, faceUvs, faceVerts, positions } = mesh;
  if (uvs !== null && faceUvs !== null && hasCompleteUvs(mesh))
    offMeans(quads, kind, 2, { there: uvs, mean: uvs, index: faceUvs, has: null }, uv);
  const { was, known } = formerPlaces(positions, faceVerts, { kind, ...quads });
  const place = new Float64Array(pieces);
  offMeans(quads, kind, 3, { there: positions, mean: was, index: faceVerts, has: known }, place);
  return { inOrder, uv, place };
}

/** Values of face points and of the old points around them, by an index of each corner. */
interface Compared {
  readonly there: ArrayLike<number>;
  readonly mean: ArrayLike<number>;
  readonly index: Uint32Array;
  /** Which values of old points are known; null for all. */
  readonly has: Uint8Array | null;
}

/** Sums up how far face points' values are from the mean of the old points' around them, squared; those that an old point is not known of are left out. */
function offMeans(
  { mesh: { faceVerts }, quadsAt, pieceOf }: Quads,
  kind: Uint8Array,
  K: number,
  { there, mean, index, has }: Compared,
  sums: Float64Array,
): void {
  const P = kind.length;
  const off = new Float64Array(K * P);
  const met = new Uint32Array(P);
  for (let q = 0; q < faceVerts.length; q += 4) {
    const k = cornerOfKind(faceVerts, q, kind, FACE);
    if (k === 4) continue;
    const f = faceVerts[q + k];
    const own = index[q + k];
    const old = index[q + ((k + 2) & 3)];
    if (has !== null && has[old] === 0) continue;
    met[f]++;
    for (let i = 0; i < K; i++) off[K * f + i] += (there[K * own + i] - mean[K * old + i]) / quadsAt[f];
  }
  for (let f = 0; f < P; f++) if (met[f] > 0 && met[f] === quadsAt[f]) for (let i = 0; i < K; i++) sums[pieceOf[f]] += off[K * f + i] ** 2;
}
