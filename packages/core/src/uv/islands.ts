import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import type { EdgeTable } from '../mesh/topology';
import { buildEdges } from '../mesh/topology';
import type { Copies } from './copies';
import { splitCopies } from './copies';
import { UnionFind } from '../runtime/union-find';

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
  const sets = new UnionFind(F);
  const first = new Int32Array(edges.edgeFaceCounts.length).fill(-1);
  for (let f = 0; f < F; f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      if (first[e] < 0) first[e] = f;
      else sets.join(first[e], f);
    }
  const { of, count } = sets.numbered();
  return { ofFace: of, count, copies, edges };
}
