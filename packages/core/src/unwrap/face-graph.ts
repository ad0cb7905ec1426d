import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import type { EdgeTable } from '../mesh/topology';
import { buildEdges, connectivityOf } from '../mesh/topology';
import type { Triangles } from '../mesh/triangulate';
import { triangulate } from '../mesh/triangulate';

/** What unwrapping asks of a mesh's connectivity and form, made once. */
export interface FaceGraph {
  readonly mesh: PolyMesh;
  readonly edges: EdgeTable;
  readonly edgeFaces: Int32Array; // 2 E, the faces on both sides; -1 where there is none
  /** E: 1 where a surface passes over the edge: two faces that run along it opposite ways. All other edges are borders of islands. */
  readonly passable: Uint8Array;
  readonly edgeLength: Float64Array; // E, scene units
  readonly triangles: Triangles;
  readonly faceTriangles: Uint32Array; // F + 1: the first triangle of each face
  readonly faceNormal: Float64Array; // 3 F: area times unit normal
  readonly faceArea: Float64Array; // F, of its triangles
}

export function faceGraph(mesh: PolyMesh): FaceGraph {
  const { faceOffsets, faceVerts, positions: p } = mesh;
  const F = faceCount(mesh);
  const edges = buildEdges(connectivityOf(mesh));
  const E = edges.edgeFaceCounts.length;
  const edgeFaces = new Int32Array(2 * E).fill(-1);
  for (let f = 0; f < F; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      if (edgeFaces[2 * e] < 0) edgeFaces[2 * e] = f;
      else if (edgeFaces[2 * e + 1] < 0) edgeFaces[2 * e + 1] = f;
    }
  const passable = new Uint8Array(E);
  const edgeLength = new Float64Array(E);
  for (let e = 0; e < E; e++) {
    const [a, b] = [3 * edges.edgeVerts[2 * e], 3 * edges.edgeVerts[2 * e + 1]];
    passable[e] = edges.edgeFaceCounts[e] === 2 && a !== b && edgeFaces[2 * e] !== edgeFaces[2 * e + 1] ? 1 : 0;
    edgeLength[e] = Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
  }
  const triangles = triangulate(mesh);
  const faceTriangles = new Uint32Array(F + 1);
  for (const f of triangles.faces) faceTriangles[f + 1]++;
  for (let f = 0; f < F; f++) faceTriangles[f + 1] += faceTriangles[f];
  const faceNormal = new Float64Array(3 * F);
  const faceArea = new Float64Array(F);
  for (let t = 0; t < triangles.faces.length; t++) {
    const f = triangles.faces[t];
    const [a, b, c] = [0, 1, 2].map((k) => 3 * faceVerts[triangles.corners[3 * t + k]]);
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const [nx, ny, nz] = [(uy * vz - uz * vy) / 2, (uz * vx - ux * vz) / 2, (ux * vy - uy * vx) / 2];
    faceNormal[3 * f] += nx;
    faceNormal[3 * f + 1] += ny;
    faceNormal[3 * f + 2] += nz;
    faceArea[f] += Math.hypot(nx, ny, nz);
  }
  return { mesh, edges, edgeFaces, passable, edgeLength, triangles, faceTriangles, faceNormal, faceArea };
}

/** The face on the other side of an edge. */
export const acrossEdge = ({ edgeFaces }: FaceGraph, e: number, f: number): number =>
  edgeFaces[2 * e] === f ? edgeFaces[2 * e + 1] : edgeFaces[2 * e];
