import type { PolyMesh } from '../mesh/poly-mesh';
import { polyMesh } from '../mesh/poly-mesh';

/** A refined mesh as its own points so many levels below show it, moved as they may be, and which of its points they are. Children follow each other
 *  in the stated order, each beginning at its parent's corner, so the coarse corners stand at equal steps among the fine ones; that holds for
 *  copies along seams too. UVs, colours and groups are left behind.
 *  @param levels fewer than it was refined: all its faces and those below are quads  @returns points uint32[coarse P] */
export function coarserBy(mesh: PolyMesh, levels: number): { readonly mesh: PolyMesh; readonly points: Uint32Array } {
  const step = 4 ** levels;
  const C = mesh.faceVerts.length / step;
  const isKept = new Uint8Array(mesh.positions.length / 3);
  for (let c = 0; c < C; c++) isKept[mesh.faceVerts[c * step]] = 1;
  let P = 0;
  for (let v = 0; v < isKept.length; v++) P += isKept[v];
  const points = new Uint32Array(P);
  const numbers = new Uint32Array(isKept.length);
  for (let v = 0, n = 0; v < isKept.length; v++) {
    if (isKept[v] === 0) continue;
    points[n] = v;
    numbers[v] = n++;
  }
  const positions = new Float32Array(3 * P);
  for (let n = 0; n < P; n++) for (let k = 0; k < 3; k++) positions[3 * n + k] = mesh.positions[3 * points[n] + k];
  const faceVerts = new Uint32Array(C);
  for (let c = 0; c < C; c++) faceVerts[c] = numbers[mesh.faceVerts[c * step]];
  return {
    mesh: polyMesh({ positions, origin: mesh.origin, faceVerts, faceOffsets: Uint32Array.from({ length: C / 4 + 1 }, (_, f) => 4 * f) }),
    points,
  };
}
