import type { PolyMesh } from './poly-mesh';
import { pointCount } from './poly-mesh';

/** Stands for the face count of an edge whose two faces run along it the same way: they have opposite sides up, so no surface passes over it
 *  smoothly, and no bend can be told a sign. */
export const OPPOSED = 255;

/** Edges of a polygon connectivity, numbered in order of first appearance (faces in order, corner c to c + 1). */
export interface EdgeTable {
  readonly cornerEdges: Uint32Array; // C, edge from corner c to the next of its face
  readonly edgeVerts: Uint32Array; // 2 E, as first met
  readonly edgeFaceCounts: Uint8Array; // E, saturates at 254; or OPPOSED
  /** E: how many levels an edge stays sharp, Infinity for ever; left out where no edge is. */
  readonly sharpness?: Float32Array;
}

/** The part of it that tells which faces meet where. */
export type FacesOfEdges = Pick<EdgeTable, 'cornerEdges' | 'edgeFaceCounts'>;

export interface Connectivity {
  readonly faceOffsets: Uint32Array; // F + 1
  readonly faceVerts: Uint32Array; // C
  readonly vertCount: number;
}

/** How the faces of a mesh hang together; its arrays are lent. */
export const connectivityOf = (mesh: PolyMesh): Connectivity => ({
  faceOffsets: mesh.faceOffsets,
  faceVerts: mesh.faceVerts,
  vertCount: pointCount(mesh),
});

/** Whether three or more faces meet at an edge. */
export const isCrowded = ({ edgeFaceCounts }: FacesOfEdges, e: number): boolean => edgeFaceCounts[e] > 2 && edgeFaceCounts[e] !== OPPOSED;

/** Edges to make room for at first, over corners: a closed surface has one for two corners. */
const EXPECTED_EDGES = 0.52;

/** Finds edges in lists, each hung on the end where fewer corners meet: linear but for surfaces in which all points have very many edges
 *  (Chiba, Nishizeki, Arboricity and Subgraph Listing Algorithms, 1985), no object an edge. */
export function buildEdges({ faceOffsets, faceVerts, vertCount }: Connectivity): EdgeTable {
  const C = faceVerts.length;
  const corners = new Uint32Array(vertCount);
  for (let c = 0; c < C; c++) corners[faceVerts[c]]++;
  const last = new Int32Array(vertCount).fill(-1); // edge that was hung on a point last
  let room = Math.min(C, Math.ceil(EXPECTED_EDGES * C) + 16);
  let before = new Int32Array(room);
  let edgeVerts = new Uint32Array(2 * room);
  let edgeFaceCounts = new Uint8Array(room);
  const cornerEdges = new Uint32Array(C);
  let E = 0;
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const o = faceOffsets[f];
    const n = faceOffsets[f + 1] - o;
    for (let k = 0; k < n; k++) {
      const a = faceVerts[o + k];
      const b = faceVerts[o + (k + 1 === n ? 0 : k + 1)];
      const at = corners[a] < corners[b] || (corners[a] === corners[b] && a < b) ? a : b;
      let e = last[at];
      while (e >= 0) {
        const p = edgeVerts[2 * e];
        const q = edgeVerts[2 * e + 1];
        if ((p === a && q === b) || (p === b && q === a)) break;
        e = before[e];
      }
      if (e < 0) {
        if (E === room) {
          room = C;
          before = longer(before, new Int32Array(room));
          edgeVerts = longer(edgeVerts, new Uint32Array(2 * room));
          edgeFaceCounts = longer(edgeFaceCounts, new Uint8Array(room));
        }
        e = E++;
        before[e] = last[at];
        last[at] = e;
        edgeVerts[2 * e] = a;
        edgeVerts[2 * e + 1] = b;
      }
      cornerEdges[o + k] = e;
      if (edgeFaceCounts[e] === 1 && edgeVerts[2 * e] === a) edgeFaceCounts[e] = OPPOSED;
      else if (edgeFaceCounts[e] === OPPOSED) edgeFaceCounts[e] = 3;
      else if (edgeFaceCounts[e] < 254) edgeFaceCounts[e]++;
    }
  }
  return { cornerEdges, edgeVerts: filled(edgeVerts, 2 * E), edgeFaceCounts: filled(edgeFaceCounts, E) };
}

function longer<T extends Int32Array | Uint32Array | Uint8Array>(from: T, to: T): T {
  to.set(from);
  return to;
}

/** The filled part: a view where little is left over, else a copy that lets the rest go. */
const filled = <T extends Uint32Array | Uint8Array>(array: T, length: number): T =>
  (length > 0.9 * array.length ? array.subarray(0, length) : array.slice(0, length)) as T;
