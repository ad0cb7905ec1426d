import type { PolyMesh } from './poly-mesh';
import { faceCount } from './poly-mesh';
import type { FacesOfEdges } from './topology';
import { OPPOSED } from './topology';

/** Faces that face against the larger part of what they hang together with across edges of two faces, ascending. Linear in faces.
 *  @param edges of the mesh */
export function flippedFaces(mesh: PolyMesh, edges: FacesOfEdges): number[] {
  const F = faceCount(mesh);
  if (!edges.edgeFaceCounts.includes(OPPOSED)) return [];
  const first = new Int32Array(edges.edgeFaceCounts.length).fill(-1);
  const across = new Int32Array(mesh.faceVerts.length).fill(-1);
  const owner = new Uint32Array(mesh.faceVerts.length);
  for (let f = 0; f < F; f++) owner.fill(f, mesh.faceOffsets[f], mesh.faceOffsets[f + 1]);
  for (let c = 0; c < owner.length; c++) {
    const e = edges.cornerEdges[c];
    if (edges.edgeFaceCounts[e] !== 2 && edges.edgeFaceCounts[e] !== OPPOSED) continue;
    if (first[e] < 0) first[e] = c;
    else {
      across[c] = first[e];
      across[first[e]] = c;
    }
  }
  const side = new Int8Array(F); // 1 as the first face of the piece, -1 against it
  const out: number[] = [];
  for (let seed = 0; seed < F; seed++) {
    if (side[seed] !== 0) continue;
    const piece = [seed];
    side[seed] = 1;
    let along = 0;
    for (let i = 0; i < piece.length; i++) {
      const f = piece[i];
      if (side[f] > 0) along++;
      for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
        if (across[c] < 0) continue;
        const g = owner[across[c]];
        if (side[g] !== 0) continue;
        side[g] = edges.edgeFaceCounts[edges.cornerEdges[c]] === OPPOSED ? -side[f] : side[f];
        piece.push(g);
      }
    }
    const minority = 2 * along < piece.length ? 1 : -1;
    for (const f of piece) if (side[f] === minority) out.push(f);
  }
  return out.sort((a, b) => a - b);
}
