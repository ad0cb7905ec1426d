/** Edges of a polygon connectivity, numbered in order of first appearance (faces in order, corner c to c + 1). */
export interface EdgeTable {
  readonly cornerEdges: Uint32Array; // C, edge from corner c to the next of its face
  readonly edgeVerts: Uint32Array; // 2 E, as first met
  readonly edgeFaceCounts: Uint8Array; // E, saturates at 255
}

export interface Connectivity {
  readonly faceOffsets: Uint32Array; // F + 1
  readonly faceVerts: Uint32Array; // C
  readonly vertCount: number;
}

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
      if (edgeFaceCounts[e] < 255) edgeFaceCounts[e]++;
    }
  }
  return { cornerEdges, edgeVerts: edgeVerts.slice(0, 2 * E), edgeFaceCounts: edgeFaceCounts.slice(0, E) };
}
