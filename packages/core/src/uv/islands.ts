import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import type { EdgeTable } from '../mesh/topology';
import { buildEdges } from '../mesh/topology';
import type { Copies } from './copies';
import { splitCopies } from './copies';

/** Faces that hang together in UV space across edges. */
export interface Islands {
  readonly ofFace: Uint32Array; // F
  readonly count: number;
  readonly copies: Copies;
  /** Of the copies: an edge with one face is an island's border. */
  readonly edges: EdgeTable;
}

/** Islands numbered by their first face. Equal UVs at one point hang together, whatever their index. @throws InvalidInputError NO_UVS */
export function islandsOf(mesh: PolyMesh): Islands {
  const F = faceCount(mesh);
  const copies = splitCopies(mesh, new Uint16Array(F));
  const edges = buildEdges({ faceOffsets: mesh.faceOffsets, faceVerts: copies.faceVerts, vertCount: copies.points.length });
  const parent = Uint32Array.from({ length: F }, (_, f) => f);
  const root = (f: number): number => {
    while (parent[f] !== f) f = parent[f] = parent[parent[f]];
    return f;
  };
  const first = new Int32Array(edges.edgeFaceCounts.length).fill(-1);
  for (let f = 0; f < F; f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      if (first[e] < 0) {
        first[e] = f;
        continue;
      }
      const [a, b] = [root(first[e]), root(f)];
      if (a !== b) parent[Math.max(a, b)] = Math.min(a, b);
    }
  const ofFace = new Uint32Array(F);
  let count = 0;
  for (let f = 0; f < F; f++) ofFace[f] = parent[f] === f ? count++ : ofFace[root(f)];
  return { ofFace, count, copies, edges };
}
