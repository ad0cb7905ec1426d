import type { Connectivity, EdgeTable } from '../mesh/topology';
import type { VertexRules } from './rules';
import { CORNER, CREASE, sharpnessAt } from './rules';

/** Faces of the next level. Points: old ones keep their index, then one an edge, then one a face; child k of a face starts at the face's
 *  corner k. */
export function splitFaces({ faceOffsets, faceVerts, vertCount: V }: Connectivity, { cornerEdges, edgeVerts }: EdgeTable): Connectivity {
  const F = faceOffsets.length - 1;
  const C = faceVerts.length;
  const E = edgeVerts.length / 2;
  const childVerts = new Uint32Array(4 * C);
  for (let f = 0; f < F; f++) {
    const end = faceOffsets[f + 1];
    for (let c = faceOffsets[f], prev = end - 1; c < end; prev = c++) {
      const q = 4 * c;
      childVerts[q] = faceVerts[c];
      childVerts[q + 1] = V + cornerEdges[c];
      childVerts[q + 2] = V + E + f;
      childVerts[q + 3] = V + cornerEdges[prev];
    }
  }
  const childOffsets = new Uint32Array(C + 1);
  for (let i = 0; i <= C; i++) childOffsets[i] = 4 * i;
  return { faceOffsets: childOffsets, faceVerts: childVerts, vertCount: V + E + F };
}

/** Edges of the next level, numbered by first appearance, as `buildEdges` would, without hashing. */
export function splitEdges({ faceOffsets, faceVerts, vertCount: V }: Connectivity, edges: EdgeTable): EdgeTable {
  const { cornerEdges, edgeVerts, edgeFaceCounts } = edges;
  const F = faceOffsets.length - 1;
  const C = faceVerts.length;
  const E = edgeVerts.length / 2;
  const childEdges = new Uint32Array(4 * C);
  const number = new Int32Array(2 * E + C).fill(-1); // halves of old edges (2e, 2e + 1), then spokes (2E + corner)
  const newEdgeVerts = new Uint32Array(2 * (2 * E + C));
  const counts = new Uint8Array(2 * E + C);
  let count = 0;
  const edgeOf = (provisional: number, from: number, to: number, faceCountOfEdge: number): number => {
    let id = number[provisional];
    if (id < 0) {
      id = count++;
      number[provisional] = id;
      newEdgeVerts[2 * id] = from;
      newEdgeVerts[2 * id + 1] = to;
      counts[id] = faceCountOfEdge;
    }
    return id;
  };
  for (let f = 0; f < F; f++) {
    const end = faceOffsets[f + 1];
    const facePoint = V + E + f;
    for (let c = faceOffsets[f], prev = end - 1; c < end; prev = c++) {
      const v = faceVerts[c];
      const e = cornerEdges[c];
      const ep = cornerEdges[prev];
      const halfOut = 2 * e + (edgeVerts[2 * e] === v ? 0 : 1);
      const halfIn = 2 * ep + (edgeVerts[2 * ep] === v ? 0 : 1);
      const q = 4 * c;
      childEdges[q] = edgeOf(halfOut, v, V + e, edgeFaceCounts[e]);
      childEdges[q + 1] = edgeOf(2 * E + c, V + e, facePoint, 2);
      childEdges[q + 2] = edgeOf(2 * E + prev, facePoint, V + ep, 2);
      childEdges[q + 3] = edgeOf(halfIn, V + ep, v, edgeFaceCounts[ep]);
    }
  }
  return { cornerEdges: childEdges, edgeVerts: newEdgeVerts.subarray(0, 2 * count), edgeFaceCounts: counts.subarray(0, count) };
}

/** Values of the next level, all linear: points kept, edges halved, faces averaged.
 *  @param values float32[K V]  @returns float32[K (V + E + F)] */
export function refineLinear(
  values: Float32Array,
  K: number,
  { faceOffsets, faceVerts, vertCount: V }: Connectivity,
  { edgeVerts }: EdgeTable,
): Float32Array {
  const E = edgeVerts.length / 2;
  const F = faceOffsets.length - 1;
  const out = new Float32Array(K * (V + E + F));
  out.set(values);
  for (let e = 0; e < E; e++) {
    const a = K * edgeVerts[2 * e];
    const b = K * edgeVerts[2 * e + 1];
    for (let k = 0; k < K; k++) out[K * (V + e) + k] = (values[a + k] + values[b + k]) / 2;
  }
  averageFaces(out, values, K, faceOffsets, faceVerts, V + E);
  return out;
}

function averageFaces(
  out: Float32Array,
  values: Float32Array,
  K: number,
  faceOffsets: Uint32Array,
  faceVerts: Uint32Array,
  first: number,
): void {
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const o = faceOffsets[f];
    const end = faceOffsets[f + 1];
    for (let k = 0; k < K; k++) {
      let s = 0;
      for (let c = o; c < end; c++) s += values[K * faceVerts[c] + k];
      out[K * (first + f) + k] = s / (end - o);
    }
  }
}

/** Values of the next level by the rules of Catmull and Clark (1978) with crease and corner rules of DeRose et al. (1998),
 *  computed in double precision.
 *  @param values float32[K V]  @returns float32[K (V + E + F)] */
export function refineSmooth(values: Float32Array, K: number, c: Connectivity, edges: EdgeTable, rules: VertexRules): Float32Array {
  const { faceOffsets, faceVerts, vertCount: V } = c;
  const { cornerEdges, edgeVerts } = edges;
  const E = edgeVerts.length / 2;
  const F = faceOffsets.length - 1;
  const out = new Float32Array(K * (V + E + F));
  averageFaces(out, values, K, faceOffsets, faceVerts, V + E);

  const edgeFaceSum = new Float64Array(K * E);
  const ring = new Float64Array(K * V); // sum of face points and edge neighbours
  const valence = new Uint32Array(V);
  for (let f = 0; f < F; f++) {
    const fp = K * (V + E + f);
    for (let i = faceOffsets[f]; i < faceOffsets[f + 1]; i++) {
      const v = K * faceVerts[i];
      const e = K * cornerEdges[i];
      for (let k = 0; k < K; k++) {
        edgeFaceSum[e + k] += out[fp + k];
        ring[v + k] += out[fp + k];
      }
    }
  }
  const sharpSum = new Float64Array(K * V);
  const stillSharpSum = rules.after === null ? null : new Float64Array(K * V); // of edges that are sharp on the next level too
  for (let e = 0; e < E; e++) {
    const va = edgeVerts[2 * e];
    const vb = edgeVerts[2 * e + 1];
    const sharp = sharpnessAt(edges, e);
    valence[va]++;
    valence[vb]++;
    for (let k = 0; k < K; k++) {
      const a = values[K * va + k];
      const b = values[K * vb + k];
      ring[K * va + k] += b;
      ring[K * vb + k] += a;
      if (sharp > 0) {
        sharpSum[K * va + k] += b;
        sharpSum[K * vb + k] += a;
        if (stillSharpSum !== null && sharp > 1) {
          stillSharpSum[K * va + k] += b;
          stillSharpSum[K * vb + k] += a;
        }
      }
      const share = sharp < 1 ? sharp : 1;
      out[K * (V + e) + k] = (share * (a + b)) / 2 + ((1 - share) * (a + b + edgeFaceSum[K * e + k])) / 4;
    }
  }
  const placed = (kind: number, sums: Float64Array, v: number, i: number): number => {
    const n = valence[v];
    if (kind === CORNER) return values[i];
    return kind === CREASE ? 0.75 * values[i] + 0.125 * sums[i] : ((n - 2) / n) * values[i] + ring[i] / (n * n);
  };
  const { kinds, after } = rules;
  for (let v = 0; v < V; v++)
    for (let i = K * v; i < K * (v + 1); i++) {
      out[i] = placed(kinds[v], sharpSum, v, i);
      if (after !== null && stillSharpSum !== null && after.share[v] < 1)
        out[i] = after.share[v] * out[i] + (1 - after.share[v]) * placed(after.kinds[v], stillSharpSum, v, i);
    }
  return out;
}
