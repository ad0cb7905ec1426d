import { Bits } from '../runtime/bits';
import type { Connectivity, FacesOfEdges } from './topology';

const NONE = 0xffffffff;

/** Points whose faces do not form one fan: two pieces that touch in a point, a bow-tie. Faces belong to one fan where they share an edge that
 *  no third face has. Takes four bytes an edge, a byte a point and two bits a corner.
 *  @returns their numbers, ascending */
export function pointsOfSeveralFans(connectivity: Connectivity, { cornerEdges, edgeFaceCounts }: FacesOfEdges): Uint32Array {
  const { faceOffsets, faceVerts, vertCount } = connectivity;
  const pairs = new Uint32Array(edgeFaceCounts.length); // both corners that an edge leaves, one XOR the other
  for (let c = 0; c < faceVerts.length; c++) pairs[cornerEdges[c]] ^= c;
  const closing = new Bits(faceVerts.length); // the last corner of each face
  for (let f = 1; f < faceOffsets.length; f++) if (faceOffsets[f] > faceOffsets[f - 1]) closing.set(faceOffsets[f] - 1);
  /** The corner of the same point in the face across the edge that leaves a corner; NONE where that edge is not one of two faces. */
  const nextAround = (c: number): number => {
    const e = cornerEdges[c];
    if (edgeFaceCounts[e] !== 2) return NONE;
    let across = (pairs[e] ^ c) >>> 0;
    if (!closing.has(across)) return across + 1;
    while (across > 0 && !closing.has(across - 1)) across--;
    return across;
  };
  const walked = new Bits(faceVerts.length);
  const fans = new Uint8Array(vertCount); // up to two
  for (let from = 0; from < faceVerts.length; from++) {
    if (walked.has(from)) continue;
    let c = from;
    do {
      walked.set(c);
      c = nextAround(c);
    } while (c !== NONE && !walked.has(c));
    // a walk counts where it comes to the fan's end or around, not where it meets an earlier one of the same fan
    if ((c === NONE || c === from) && fans[faceVerts[from]] < 2) fans[faceVerts[from]]++;
  }
  const out: number[] = [];
  for (let v = 0; v < vertCount; v++) if (fans[v] > 1) out.push(v);
  return Uint32Array.from(out);
}
