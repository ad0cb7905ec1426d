import type { Rows } from '../mesh/neighbours';
import { facesAround, ownersOf, rowsBy } from '../mesh/neighbours';
import type { EdgeTable } from '../mesh/topology';
import { connectivityOf } from '../mesh/topology';
import type { SparseMatrix } from '../runtime/sparse-matrix';
import { SparseRows } from '../runtime/sparse-matrix';
import type { RefinedLevel } from './refine';
import { CORNER, CREASE, isSharp, sharpnessAt } from './rules';

const edgesAround = ({ edgeVerts }: EdgeTable, V: number): Rows => rowsBy(V, edgeVerts, (i) => i >> 1);

/** Refinement as a matrix: what each point of the next level takes from the points of this one, by the same rules as `refineSmooth`.
 *  @returns V + E + F rows of V columns */
export function refinementMatrix(level: RefinedLevel): SparseMatrix {
  const { faceOffsets, faceVerts, vertCount: V } = connectivityOf(level.mesh);
  const { edges } = level;
  const { cornerEdges, edgeVerts } = edges;
  const E = edgeVerts.length / 2;
  const F = faceOffsets.length - 1;
  const rows = new SparseRows(V + E + F, V);
  const { kinds, after } = level.rules;
  const facesAt = facesAround(level.mesh, V);
  const edgesAt = edgesAround(edges, V);
  const other = (e: number, v: number): number => (edgeVerts[2 * e] === v ? edgeVerts[2 * e + 1] : edgeVerts[2 * e]);
  const addFace = (f: number, share: number): void => {
    const n = faceOffsets[f + 1] - faceOffsets[f];
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) rows.add(faceVerts[c], share / n);
  };
  const addVertex = (kind: number, v: number, share: number, sharpAbove: number): void => {
    if (kind === CORNER) {
      rows.add(v, share);
      return;
    }
    if (kind === CREASE) {
      rows.add(v, 0.75 * share);
      for (let i = edgesAt.start[v]; i < edgesAt.start[v + 1]; i++)
        if (sharpnessAt(edges, edgesAt.values[i]) > sharpAbove) rows.add(other(edgesAt.values[i], v), 0.125 * share);
      return;
    }
    const n = edgesAt.start[v + 1] - edgesAt.start[v];
    rows.add(v, (share * (n - 2)) / n);
    for (let i = edgesAt.start[v]; i < edgesAt.start[v + 1]; i++) rows.add(other(edgesAt.values[i], v), share / (n * n));
    for (let i = facesAt.start[v]; i < facesAt.start[v + 1]; i++) addFace(facesAt.values[i], share / (n * n));
  };
  for (let v = 0; v < V; v++) {
    const share = after === null ? 1 : after.share[v];
    if (share > 0) addVertex(kinds[v], v, share, 0);
    if (after !== null && share < 1) addVertex(after.kinds[v], v, 1 - share, 1);
    rows.endRow();
  }
  const facesOfEdges = rowsBy(E, cornerEdges, ownersOf(faceOffsets));
  for (let e = 0; e < E; e++) {
    const sharp = Math.min(1, sharpnessAt(edges, e));
    for (const v of [edgeVerts[2 * e], edgeVerts[2 * e + 1]]) rows.add(v, sharp / 2 + (1 - sharp) / 4);
    if (sharp < 1) for (let i = facesOfEdges.start[e]; i < facesOfEdges.start[e + 1]; i++) addFace(facesOfEdges.values[i], (1 - sharp) / 4);
    rows.endRow();
  }
  for (let f = 0; f < F; f++) {
    addFace(f, 1);
    rows.endRow();
  }
  return rows.finish();
}

/** The limit as a matrix on an all-quad level, by the masks of `limitPoints`: V rows of V columns. Creases that fade or end are taken as they are
 *  on this level. */
export function limitMatrix(level: RefinedLevel): SparseMatrix {
  const { faceVerts, vertCount: V } = connectivityOf(level.mesh);
  const { edges } = level;
  const { kinds } = level.rules;
  const facesAt = facesAround(level.mesh, V);
  const edgesAt = edgesAround(edges, V);
  const rows = new SparseRows(V, V);
  for (let v = 0; v < V; v++) {
    const [from, to] = [edgesAt.start[v], edgesAt.start[v + 1]];
    const n = facesAt.start[v + 1] - facesAt.start[v];
    if (kinds[v] === CORNER || n === 0) rows.add(v, 1);
    else if (kinds[v] === CREASE) {
      rows.add(v, 4 / 6);
      for (let i = from; i < to; i++) if (isSharp(edges, edgesAt.values[i])) rows.add(otherEnd(edges, edgesAt.values[i], v), 1 / 6);
    } else {
      const all = n * (n + 5);
      rows.add(v, (n * n) / all);
      for (let i = from; i < to; i++) rows.add(otherEnd(edges, edgesAt.values[i], v), 4 / all);
      for (let i = facesAt.start[v]; i < facesAt.start[v + 1]; i++) {
        const o = 4 * facesAt.values[i];
        const k = faceVerts.subarray(o, o + 4).indexOf(v);
        rows.add(faceVerts[o + ((k + 2) & 3)], 1 / all);
      }
    }
    rows.endRow();
  }
  return rows.finish();
}

const otherEnd = ({ edgeVerts }: EdgeTable, e: number, v: number): number =>
  edgeVerts[2 * e] === v ? edgeVerts[2 * e + 1] : edgeVerts[2 * e];
