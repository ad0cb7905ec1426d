import type { Gathered } from '../mesh/nearby-order';
import { gathered, restored } from '../mesh/nearby-order';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, hasCompleteUvs, pointCount } from '../mesh/poly-mesh';
import type { SurfaceOptions } from '../mesh/surface-rules';
import type { EdgeTable } from '../mesh/topology';
import { buildEdges, connectivityOf } from '../mesh/topology';
import { isAllQuads } from '../mesh/triangulate';
import { GrowableU32 } from '../runtime/growable';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import { leastSquares } from '../runtime/least-squares';
import { multiplied, triples } from '../runtime/sparse-matrix';
import { levelZero } from '../subdivision/refine';
import { refinementMatrix } from '../subdivision/stencils';
import { cornerOfKind, formerPlaces, OLD } from './former-places';
import type { Kinds } from './label-points';
import { labelPoints } from './label-points';

/** What a mesh was refined from. */
export interface CoarseLevel {
  readonly mesh: PolyMesh;
  /** Largest distance of the refined coarse mesh from the finer one: what a sculptor did to that level. Scene units. */
  readonly residual: number;
  /** Pieces that could have been refined from several meshes, which are told apart by the order of the file, then by UVs, then by the fit. */
  readonly ambiguous: number;
}

export interface Recovered {
  /** Coarser and coarser. */
  readonly levels: readonly CoarseLevel[];
  /** Why there are no more. */
  readonly stopped: string;
}

/** Fitting ends where the gradient is this small beside what is left. */
const FITTED = 1e-4;

/** Finds the coarse meshes that a dense one was refined from, as many as its connectivity holds: each piece's points are told into old, edge and face
 *  points in every consistent way. UVs of old points stay, as linear refinement leaves them; positions and colours are those whose refinement fits
 *  best. Groups follow; creases come back a level sharper. Points and faces keep the order of the file.
 *  @param most levels at most  @throws CancelledError */
export function recoverLevels(dense: PolyMesh, most = Infinity, surface: Partial<SurfaceOptions> = {}, control?: RunControl): Recovered {
  const levels: CoarseLevel[] = [];
  for (let near = gathered(dense); levels.length < most;) {
    throwIfAborted(control);
    // each level has a quarter of the faces of the one before
    const done = 1 - 0.25 ** levels.length;
    const found = coarser(near, surface, subProgress(control, done, 1 - 0.25 ** (levels.length + 1)));
    if (typeof found === 'string') return { levels, stopped: found };
    levels.push({ mesh: restored(found.coarse), residual: found.residual, ambiguous: found.ambiguous });
    near = found.coarse;
  }
  return { levels, stopped: 'as many as were asked for' };
}

/** A coarse mesh, and where the points of its refinement are. */
interface Coarse {
  readonly coarse: Gathered;
  /** Point of the finer mesh at each point that refining gives. */
  readonly order: Uint32Array;
}

/** The mesh that this one is the refinement of, or why there is none. @throws CancelledError */
function coarser(
  near: Gathered,
  surface: Partial<SurfaceOptions>,
  control?: RunControl,
): (Coarse & { readonly residual: number; readonly ambiguous: number }) | string {
  const dense = near.mesh;
  if (faceCount(dense) === 0) return 'the mesh has no faces';
  if (!isAllQuads(dense)) {
    const sizeOf = (f: number): number => dense.faceOffsets[f + 1] - dense.faceOffsets[f];
    let f = -1;
    for (let g = 0; g < faceCount(dense); g++) if (sizeOf(g) !== 4 && (f < 0 || near.faces[g] < near.faces[f])) f = g;
    return `face ${near.faces[f]} has ${sizeOf(f)} corners, and refining leaves quads only`;
  }
  const edges = buildEdges(connectivityOf(dense));
  const kinds = labelPoints(near, edges);
  if (typeof kinds === 'string') return kinds;
  const found = connected(near, edges, kinds);
  if (found === null) return 'its coarser mesh would have two edges between the same points, or faces that are no rings';
  control?.onProgress?.(0.3, 'fitting');
  const { mesh, residual } = fitted(found.coarse.mesh, dense, kinds, found.order, surface, subProgress(control, 0.3, 1));
  return { ...found, coarse: { ...found.coarse, mesh }, residual, ambiguous: kinds.ambiguous };
}

/** The coarse mesh with the old points where the dense one has them. */
function connected({ mesh: dense, points, faces }: Gathered, edges: EdgeTable, { kind }: Kinds): Coarse | null {
  const P = pointCount(dense);
  const { faceVerts, faceUvs } = dense;
  const coarseOf = new Uint32Array(P);
  const olds = new GrowableU32();
  for (let v = 0; v < P; v++) {
    if (kind[v] !== OLD) continue;
    coarseOf[v] = olds.length;
    olds.push(v);
  }
  const oldPoints = olds.finish();
  // the quads around each face point, and which of them the file has first
  const Q = faceCount(dense);
  const around = new Int32Array(P).fill(-1);
  const next = new Int32Array(Q).fill(-1);
  const first = new Int32Array(P).fill(-1);
  const oldCorner = new Uint8Array(Q);
  for (let q = 0; q < Q; q++) {
    const k = cornerOfKind(faceVerts, 4 * q, kind, OLD);
    oldCorner[q] = k;
    const centre = faceVerts[4 * q + ((k + 2) & 3)];
    next[q] = around[centre];
    around[centre] = q;
    if (first[centre] < 0 || faces[q] < faces[first[centre]]) first[centre] = q;
  }
  const begun = new GrowableU32();
  for (let v = 0; v < P; v++) if (first[v] >= 0) begun.push(first[v]);
  const begins = begun.finish();
  const centres = begins.map((q) => faceVerts[4 * q + ((oldCorner[q] + 2) & 3)]);
  const F = begins.length;
  const offsets = new Uint32Array(F + 1);
  const verts = new Uint32Array(Q);
  const uvs = new Uint32Array(faceUvs === null ? 0 : Q);
  const edgePoints = new Uint32Array(Q); // of each coarse corner: the dense edge point after it
  const sections = new Uint16Array(F);
  let C = 0;
  for (let f = 0; f < F; f++) {
    const begin = begins[f];
    sections[f] = dense.faceSections[begin];
    let [q, count] = [begin, 0];
    do {
      const k = oldCorner[q];
      if (C === Q) return null;
      verts[C] = coarseOf[faceVerts[4 * q + k]];
      if (faceUvs !== null) uvs[C] = faceUvs[4 * q + k];
      const leaving = faceVerts[4 * q + ((k + 1) & 3)];
      edgePoints[C++] = leaving;
      count++;
      // the quad of this face that is entered there
      let to = around[centres[f]];
      while (to >= 0 && faceVerts[4 * to + ((oldCorner[to] + 3) & 3)] !== leaving) to = next[to];
      q = to;
    } while (q >= 0 && q !== begin);
    offsets[f + 1] = offsets[f] + count;
  }
  const positions = new Float32Array(3 * oldPoints.length);
  for (let i = 0; i < positions.length; i++) positions[i] = dense.positions[3 * oldPoints[Math.floor(i / 3)] + (i % 3)];
  const keptUvs = hasCompleteUvs(dense) ? usedOnly(dense.uvs ?? new Float32Array(0), uvs) : null;
  const bare: PolyMesh = {
    ...dense,
    positions,
    faceOffsets: offsets,
    faceVerts: verts.subarray(0, C),
    uvs: keptUvs?.values ?? null,
    faceUvs: keptUvs?.indices ?? null,
    normals: null,
    faceNormals: null,
    colors: null,
    faceSections: sections,
    creases: null,
  };
  const coarseEdges = buildEdges(connectivityOf(bare));
  const E = coarseEdges.edgeFaceCounts.length;
  if (oldPoints.length + E + F !== P || C !== Q) return null;
  const order = new Uint32Array(P);
  order.set(oldPoints);
  const middle = new Uint32Array(E);
  for (let c = 0; c < C; c++) middle[coarseEdges.cornerEdges[c]] = edgePoints[c];
  order.set(middle, oldPoints.length);
  order.set(centres, oldPoints.length + E);
  const mesh = { ...bare, creases: sharperCreases(dense, edges, coarseEdges, middle, order, oldPoints.length) };
  return { coarse: { mesh, points: ranksOf(points, oldPoints), faces: ranksOf(faces, begins) }, order };
}

/** How many of the chosen have a smaller number. */
function ranksOf(numbers: Uint32Array, chosen: Uint32Array): Uint32Array {
  const rank = new Uint32Array(numbers.length);
  for (const i of chosen) rank[numbers[i]] = 1;
  for (let n = 0, below = 0; n < rank.length; n++) {
    below += rank[n];
    rank[n] = below - rank[n];
  }
  return chosen.map((i) => rank[numbers[i]]);
}

/** Values that are used, numbered anew in the order of their old numbers. */
function usedOnly(values: Float32Array, used: Uint32Array): { values: Float32Array; indices: Uint32Array } {
  const number = new Int32Array(values.length / 2).fill(-1);
  for (const t of used) number[t] = 0;
  let count = 0;
  for (let t = 0; t < number.length; t++) if (number[t] === 0) number[t] = count++;
  const out = new Float32Array(2 * count);
  for (let t = 0; t < number.length; t++) if (number[t] >= 0) out.set(values.subarray(2 * t, 2 * t + 2), 2 * number[t]);
  return { values: out, indices: used.map((t) => number[t]) };
}

/** An edge whose both halves are sharp was a level sharper. */
function sharperCreases(
  { creases }: PolyMesh,
  edges: EdgeTable,
  coarse: EdgeTable,
  middle: Uint32Array,
  order: Uint32Array,
  olds: number,
): PolyMesh['creases'] {
  if (creases === null) return null;
  const key = (a: number, b: number): string => (a < b ? `${a} ${b}` : `${b} ${a}`);
  const sharp = new Map<string, number>();
  creases.edgeSharpness.forEach((s, i) => sharp.set(key(creases.edges[2 * i], creases.edges[2 * i + 1]), s));
  const ends: number[] = [];
  const sharpness: number[] = [];
  for (let e = 0; e < middle.length; e++) {
    const [a, b] = [coarse.edgeVerts[2 * e], coarse.edgeVerts[2 * e + 1]];
    const halves = [a, b].map((v) => sharp.get(key(order[v], middle[e])) ?? 0);
    if (Math.min(...halves) === 0) continue;
    ends.push(a, b);
    sharpness.push(Math.max(...halves) + 1);
  }
  const number = new Map<number, number>();
  for (let v = 0; v < olds; v++) number.set(order[v], v);
  const held = [...creases.points.keys()].filter((i) => number.has(creases.points[i]));
  return {
    edges: Uint32Array.from(ends),
    edgeSharpness: Float32Array.from(sharpness),
    points: Uint32Array.from(held, (i) => number.get(creases.points[i]) ?? 0),
    pointSharpness: Float32Array.from(held, (i) => creases.pointSharpness[i] + 1),
  };
}

/** Puts the coarse points where their refinement fits the dense ones best. */
function fitted(
  mesh: PolyMesh,
  dense: PolyMesh,
  kinds: Kinds,
  order: Uint32Array,
  surface: Partial<SurfaceOptions>,
  control?: RunControl,
): { mesh: PolyMesh; residual: number } {
  const level = levelZero({ ...mesh, uvs: null, faceUvs: null }, surface);
  const matrix = refinementMatrix(level);
  const solve = (values: Float32Array, part?: RunControl): Float32Array => {
    const { was, known } = formerPlaces(values, dense.faceVerts, kinds);
    const guess = new Float64Array(3 * pointCount(mesh));
    const b = triples(values, order);
    for (let i = 0; i < guess.length; i++) {
      const v = order[Math.floor(i / 3)];
      guess[i] = known[v] === 1 ? was[3 * v + (i % 3)] : b[i];
    }
    return Float32Array.from(leastSquares({ A: matrix, b, weights: null, from: guess, enough: FITTED }, part));
  };
  const positions = solve(dense.positions, control);
  const colors = dense.colors === null ? null : solve(dense.colors).map((c) => Math.min(1, Math.max(0, c)));
  const refined = multiplied(matrix, Float64Array.from(positions));
  let residual = 0;
  for (let r = 0; r < order.length; r++) {
    let d = 0;
    for (let k = 0; k < 3; k++) d += (refined[3 * r + k] - dense.positions[3 * order[r] + k]) ** 2;
    residual = Math.max(residual, d);
  }
  return { mesh: { ...mesh, positions, colors }, residual: Math.sqrt(residual) };
}
