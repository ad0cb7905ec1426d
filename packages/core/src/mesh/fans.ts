import type { Connectivity, EdgeTable } from './topology';

const NONE = 0xffffffff;

/** Points whose faces do not form one fan: two pieces that touch in a point, a bow-tie. Faces belong to one fan where they share an edge that
 *  no third face has.
 *  @returns their numbers, ascending */
export function pointsOfSeveralFans(connectivity: Connectivity, edges: EdgeTable): Uint32Array {
  const { faceOffsets, faceVerts, vertCount } = connectivity;
  const next = nextAround(connectivity, edges);
  const corners = new Uint32Array(vertCount);
  // where the walk around a point begins: behind an edge that ends a fan, where there is one
  const start = new Uint32Array(vertCount).fill(NONE);
  const ends = new Uint8Array(vertCount);
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f], before = faceOffsets[f + 1] - 1; c < faceOffsets[f + 1]; before = c++) {
      const v = faceVerts[c];
      corners[v]++;
      const isEnd = edges.edgeFaceCounts[edges.cornerEdges[before]] !== 2;
      if (isEnd && ends[v] < 2) ends[v]++;
      if (isEnd || start[v] === NONE) start[v] = c;
    }
  const out: number[] = [];
  for (let v = 0; v < vertCount; v++) {
    if (start[v] === NONE) continue;
    let walked = 1;
    for (let c = next[start[v]]; c !== NONE && c !== start[v]; c = next[c]) walked++;
    if (walked < corners[v] || ends[v] > 1) out.push(v);
  }
  return Uint32Array.from(out);
}

/** The corner of the same point in the face across the edge that leaves each corner; NONE where that edge is not one of two faces. */
function nextAround({ faceOffsets, faceVerts }: Connectivity, { cornerEdges, edgeFaceCounts }: EdgeTable): Uint32Array {
  const out = new Uint32Array(faceVerts.length).fill(NONE);
  const first = new Uint32Array(edgeFaceCounts.length).fill(NONE); // face of each edge that was met first
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      const e = cornerEdges[c];
      if (edgeFaceCounts[e] !== 2) continue;
      const g = first[e];
      if (g === NONE) {
        first[e] = f;
        continue;
      }
      let d = faceOffsets[g];
      while (cornerEdges[d] !== e) d++;
      out[c] = d + 1 === faceOffsets[g + 1] ? faceOffsets[g] : d + 1;
      out[d] = c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1;
    }
  return out;
}
