import { doubledPairs } from './doubled-points';
import { flippedFaces } from './flipped-faces';
import { keepFaces, renumberCreases } from './keep-faces';
import type { PolyMesh } from './poly-mesh';
import { faceCount, pointCount } from './poly-mesh';
import { buildEdges, connectivityOf } from './topology';
import { UnionFind } from '../runtime/union-find';

/** A mended mesh and how much was done; the mesh itself where there was nothing to do. */
export interface Mended {
  readonly mesh: PolyMesh;
  /** Points, faces, pieces or islands, as the mend counts. */
  readonly count: number;
}

/** Joins points within a distance of each other to the first of them. Faces that lose all but two corners go; UVs stay as they are.
 *  @returns `count`: points that were joined to another */
export function weldPoints(mesh: PolyMesh, distance?: number): Mended {
  const to = doubledPairs(mesh, distance);
  let count = 0;
  for (let v = 0; v < to.length; v++) if (to[v] !== v) count++;
  if (count === 0) return { mesh, count };
  const { faceOffsets, faceVerts, faceUvs, faceNormals } = mesh;
  const corners: number[] = [];
  const offsets = [0];
  const faces: number[] = [];
  for (let f = 0; f < faceCount(mesh); f++) {
    const own: number[] = [];
    // a corner that falls onto the one before it is one with it
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) if (own.length === 0 || to[faceVerts[c]] !== to[faceVerts[own[own.length - 1]]]) own.push(c);
    while (own.length > 1 && to[faceVerts[own[0]]] === to[faceVerts[own[own.length - 1]]]) own.pop();
    if (own.length < 3) continue;
    corners.push(...own);
    offsets.push(corners.length);
    faces.push(f);
  }
  const joined: PolyMesh = {
    ...mesh,
    faceOffsets: Uint32Array.from(offsets),
    faceVerts: Uint32Array.from(corners, (c) => to[faceVerts[c]]),
    faceUvs: faceUvs && Uint32Array.from(corners, (c) => faceUvs[c]),
    faceNormals: faceNormals && Uint32Array.from(corners, (c) => faceNormals[c]),
    faceSections: Uint16Array.from(faces, (f) => mesh.faceSections[f]),
    creases: mesh.creases && renumberCreases(mesh.creases, to),
  };
  return { mesh: keepFaces(joined, () => true), count };
} // prettier-ignore

/** Turns round the faces that face against the larger part of their piece; each keeps its first corner. */
export function turnFlipped(mesh: PolyMesh): Mended {
  const flipped = flippedFaces(mesh, buildEdges(connectivityOf(mesh)));
  if (flipped.length === 0) return { mesh, count: 0 };
  const turned = (indices: Uint32Array | null): Uint32Array | null => {
    if (indices === null) return null;
    const out = indices.slice();
    for (const f of flipped) out.subarray(mesh.faceOffsets[f] + 1, mesh.faceOffsets[f + 1]).reverse();
    return out;
  };
  const faceVerts = turned(mesh.faceVerts) ?? mesh.faceVerts;
  return { mesh: { ...mesh, faceVerts, faceUvs: turned(mesh.faceUvs), faceNormals: turned(mesh.faceNormals) }, count: flipped.length };
}

/** Leaves out pieces of fewer faces than a share of the largest one's. @returns `count`: pieces that were left out */
export function dropLoosePieces(mesh: PolyMesh, share: number): Mended {
  const pieces = new UnionFind(pointCount(mesh));
  const first = (f: number): number => mesh.faceVerts[mesh.faceOffsets[f]];
  for (let f = 0; f < faceCount(mesh); f++)
    for (let c = mesh.faceOffsets[f] + 1; c < mesh.faceOffsets[f + 1]; c++) pieces.join(mesh.faceVerts[c], first(f));
  const faces = new Uint32Array(pointCount(mesh));
  for (let f = 0; f < faceCount(mesh); f++) faces[pieces.root(first(f))]++;
  const least = share * faces.reduce((a, b) => Math.max(a, b), 0);
  const count = faces.reduce((n, size) => n + Number(size > 0 && size < least), 0);
  return count === 0 ? { mesh, count } : { mesh: keepFaces(mesh, (f) => faces[pieces.root(first(f))] >= least), count };
}
