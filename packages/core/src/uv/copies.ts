import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount, pointCount, requireUvs } from '../mesh/poly-mesh';
import type { Allocate } from '../runtime/threads';
import { ownMemory } from '../runtime/threads';

/** Every (point, UV, tag) of a mesh as a copy of its own. */
export interface Copies {
  readonly faceVerts: Uint32Array; // C: copy at each corner
  readonly points: Uint32Array; // N: point of each copy
  readonly uvs: Uint32Array; // N: UV index of each copy
  readonly tags: Uint16Array; // N
}

const NONE = 0xffffffff;

/** Copies in order of first appearance. Equal UV values count as one, whatever their index: a file may repeat them.
 *  @param tags uint16[F]: faces with different tags never share a copy @param allocate gives the memory of `faceVerts`
 *  @throws InvalidInputError NO_UVS */
export function splitCopies(mesh: PolyMesh, tags: Uint16Array, allocate: Allocate = ownMemory): Copies {
  const { uvs, faceUvs } = requireUvs(mesh);
  const C = cornerCount(mesh);
  const first = new Uint32Array(pointCount(mesh)).fill(NONE);
  const next = new Uint32Array(C);
  const points = new Uint32Array(C);
  const copyUvs = new Uint32Array(C);
  const copyTags = new Uint16Array(C);
  const faceVerts = new Uint32Array(allocate(4 * C));
  let n = 0;
  for (let f = 0; f < faceCount(mesh); f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const v = mesh.faceVerts[c];
      const uv = faceUvs[c];
      let copy = first[v];
      while (
        copy !== NONE &&
        !(copyTags[copy] === tags[f] && uvs[2 * copyUvs[copy]] === uvs[2 * uv] && uvs[2 * copyUvs[copy] + 1] === uvs[2 * uv + 1])
      )
        copy = next[copy];
      if (copy === NONE) {
        copy = n++;
        points[copy] = v;
        copyUvs[copy] = uv;
        copyTags[copy] = tags[f];
        next[copy] = first[v];
        first[v] = copy;
      }
      faceVerts[c] = copy;
    }
  return { faceVerts, points: points.slice(0, n), uvs: copyUvs.slice(0, n), tags: copyTags.slice(0, n) };
}
