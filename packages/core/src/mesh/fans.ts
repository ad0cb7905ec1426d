import type { Connectivity, EdgeTable } from './topology';

const NONE = 0xffffffff;

/** Points whose faces do not form one fan: two pieces that touch in a point, a bow-tie. Faces belong to one fan where they share an edge that
 *  no third face has. Takes four bytes an edge and nine a point, and a bit a corner.
 *  @returns their numbers, ascending */
export function pointsOfSeveralFans(connectivity: Connectivity, edges: EdgeTable): Uint32Array {
  const { faceOffsets, faceVerts, vertCount } = connectivity;
  const { cornerEdges, edgeFaceCounts } = edges;
  const corners = new Uint32Array(vertCount);
  // where the walk around a point begins: behind an edge that ends a fan, where there is one
  const start = new Uint32Array(vertCount).fill(NONE);
  const ends = new Uint8Array(vertCount);
  const pairs = new Uint32Array(edgeFaceCounts.length); // both corners that an edge leaves, one XOR the other
  const closing = new Uint8Array((faceVerts.length + 7) >>> 3); // a bit a corner: the last of its face
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f], before = faceOffsets[f + 1] - 1; c < faceOffsets[f + 1]; before = c++) {
      const v = faceVerts[c];
      corners[v]++;
      pairs[cornerEdges[c]] ^= c;
      const isEnd = edgeFaceCounts[cornerEdges[before]] !== 2;
      if (isEnd && ends[v] < 2) ends[v]++;
      if (isEnd || start[v] === NONE) start[v] = c;
      if (c + 1 === faceOffsets[f + 1]) closing[c >>> 3] |= 1 << (c & 7);
    }
  const closes = (c: number): boolean => (closing[c >>> 3] & (1 << (c & 7))) !== 0;
  /** The corner of the same point in the face across the edge that leaves a corner; NONE where that edge is not one of two faces. */
  const nextAround = (c: number): number => {
    const e = cornerEdges[c];
    if (edgeFaceCounts[e] !== 2) return NONE;
    let across = (pairs[e] ^ c) >>> 0;
    if (!closes(across)) return across + 1;
    while (across > 0 && !closes(across - 1)) across--;
    return across;
  };
  const out: number[] = [];
  for (let v = 0; v < vertCount; v++) {
    if (start[v] === NONE) continue;
    let walked = 1;
    for (let c = nextAround(start[v]); c !== NONE && c !== start[v]; c = nextAround(c)) walked++;
    if (walked < corners[v] || ends[v] > 1) out.push(v);
  }
  return Uint32Array.from(out);
}
