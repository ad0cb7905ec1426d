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

export interface Connectivity {
  readonly faceOffsets: Uint32Array; // F + 1
  readonly faceVerts: Uint32Array; // C
  readonly vertCount: number;
}

/** Whether three or more faces meet at an edge. */
export const isCrowded = ({ edgeFaceCounts }: EdgeTable, e: number): boolean => edgeFaceCounts[e] > 2 && edgeFaceCounts[e] !== OPPOSED;

/** Finds edges with an open-addressing hash over point pairs: linear, no object an edge. */
export function buildEdges({ faceOffsets, faceVerts }: Connectivity): EdgeTable {
  const C = faceVerts.length;
  let bits = 4;
  while (1 << bits < C * 1.5) bits++;
  const mask = (1 << bits) - 1;
  const table = new Int32Array(1 << bits).fill(-1);
  const cornerEdges = new Uint32Array(C);
  const edgeVerts = new Uint32Array(2 * C);
  const edgeFaceCounts = new Uint8Array(C);
  let E = 0;
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const o = faceOffsets[f];
    const n = faceOffsets[f + 1] - o;
    for (let k = 0; k < n; k++) {
      const a = faceVerts[o + k];
      const b = faceVerts[o + (k + 1 === n ? 0 : k + 1)];
      const lo = a < b ? a : b;
      const hi = a < b ? b : a;
      let h = (Math.imul(lo, 0x9e3779b1) ^ Math.imul(hi, 0x85ebca6b)) & mask;
      let e = table[h];
      while (e >= 0) {
        const p = edgeVerts[2 * e];
        const q = edgeVerts[2 * e + 1];
        if ((p === a && q === b) || (p === b && q === a)) break;
        h = (h + 1) & mask;
        e = table[h];
      }
      if (e < 0) {
        e = E++;
        table[h] = e;
        edgeVerts[2 * e] = a;
        edgeVerts[2 * e + 1] = b;
      }
      cornerEdges[o + k] = e;
      if (edgeFaceCounts[e] === 1 && edgeVerts[2 * e] === a) edgeFaceCounts[e] = OPPOSED;
      else if (edgeFaceCounts[e] === OPPOSED) edgeFaceCounts[e] = 3;
      else if (edgeFaceCounts[e] < 254) edgeFaceCounts[e]++;
    }
  }
  return { cornerEdges, edgeVerts: edgeVerts.slice(0, 2 * E), edgeFaceCounts: edgeFaceCounts.slice(0, E) };
}
