import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import { buildEdges, connectivityOf } from '../mesh/topology';
import type { Triangles } from '../mesh/triangulate';
import { tileOrigin } from '../uv/tiles';

/** Edges of the base that lie at several places of the Sheet, in shareable arrays. E edges, S sides. */
export interface SeamEdges {
  readonly ends: Uint32Array; // 2 E, points
  readonly sideOffsets: Uint32Array; // E + 1
  /** Tile of each side. */
  readonly tiles: Uint32Array; // S
  /** The base's triangle with the edge on that side, and which of its corners (0 to 2) the ends are. */
  readonly triangles: Uint32Array; // S
  readonly corners: Uint32Array; // 2 S
  /** UVs of both ends, relative to the tile. */
  readonly uvs: Float32Array; // 4 S
}

const NONE = 0xffffffff;

/** Edges whose faces give them different UVs, or that lie in different tiles. Edges of three or more faces give each side.
 *  @param tiles tile of each face of `mesh` */
export function seamEdges(mesh: PolyMesh, triangles: Triangles, tiles: (face: number) => number): SeamEdges {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { faceOffsets } = mesh;
  const { cornerEdges, edgeVerts, edgeFaceCounts } = buildEdges(connectivityOf(mesh));
  const faceOf = new Uint32Array(cornerEdges.length);
  for (let f = 0; f < faceCount(mesh); f++) faceOf.fill(f, faceOffsets[f], faceOffsets[f + 1]);
  const sameUv = (a: number, b: number): boolean => {
    const [i, j] = [2 * faceUvs[a], 2 * faceUvs[b]];
    return i === j || (uvs[i] === uvs[j] && uvs[i + 1] === uvs[j + 1]);
  };
  const nextOf = (c: number): number => (c + 1 === faceOffsets[faceOf[c] + 1] ? faceOffsets[faceOf[c]] : c + 1);
  /** Corners of the edge's first and last end. */
  const endsOf = (corner: number): readonly [number, number] => {
    const next = nextOf(corner);
    return mesh.faceVerts[corner] === edgeVerts[2 * cornerEdges[corner]] ? [corner, next] : [next, corner];
  };
  // neighbours mostly run along their edge in opposite ways
  const sameSide = (a: number, b: number): boolean => {
    if (tiles(faceOf[a]) !== tiles(faceOf[b])) return false;
    const along = mesh.faceVerts[a] === mesh.faceVerts[b];
    return along ? sameUv(a, b) && sameUv(nextOf(a), nextOf(b)) : sameUv(a, nextOf(b)) && sameUv(nextOf(a), b);
  };
  // corners of each edge with more than one face, chained
  const first = new Uint32Array(edgeFaceCounts.length).fill(NONE);
  const chained = new Uint32Array(cornerEdges.length).fill(NONE);
  for (let c = cornerEdges.length - 1; c >= 0; c--) {
    const e = cornerEdges[c];
    if (edgeFaceCounts[e] < 2) continue;
    chained[c] = first[e];
    first[e] = c;
  }
  const onSeam: number[] = [];
  const sideCorners: number[] = [];
  const sideOffsets = [0];
  for (let e = 0; e < first.length; e++) {
    let apart = false;
    for (let c = first[e]; c !== NONE && !apart; c = chained[c]) apart = !sameSide(first[e], c);
    if (!apart) continue;
    onSeam.push(e);
    for (let c = first[e]; c !== NONE; c = chained[c]) sideCorners.push(c);
    sideOffsets.push(sideCorners.length);
  }
  const S = sideCorners.length;
  const out: SeamEdges = {
    ends: Uint32Array.from(onSeam.flatMap((e) => [edgeVerts[2 * e], edgeVerts[2 * e + 1]])),
    sideOffsets: Uint32Array.from(sideOffsets),
    tiles: new Uint32Array(S),
    triangles: new Uint32Array(S),
    corners: new Uint32Array(2 * S),
    uvs: new Float32Array(4 * S),
  };
  const firstTriangle = new Uint32Array(faceCount(mesh) + 1);
  for (const f of triangles.faces) firstTriangle[f + 1]++;
  for (let f = 0; f + 1 < firstTriangle.length; f++) firstTriangle[f + 1] += firstTriangle[f];
  sideCorners.forEach((corner, s) => {
    const face = faceOf[corner];
    const tile = tiles(face);
    const origin = tileOrigin(tile);
    const ends = endsOf(corner);
    out.tiles[s] = tile;
    ends.forEach((c, i) => {
      for (let k = 0; k < 2; k++) out.uvs[4 * s + 2 * i + k] = uvs[2 * faceUvs[c] + k] - origin[k];
    });
    for (let t = firstTriangle[face]; t < firstTriangle[face + 1]; t++) {
      const [i, j] = ends.map((c) => triangles.corners.subarray(3 * t, 3 * t + 3).indexOf(c));
      if (i < 0 || j < 0) continue;
      out.triangles[s] = t;
      out.corners.set([i, j], 2 * s);
    }
  });
  return out;
}

/** Numbers of the edges that have a side in a tile. */
export function seamsOfTile({ sideOffsets, tiles }: SeamEdges, tile: number): Uint32Array {
  const out: number[] = [];
  for (let e = 0; e + 1 < sideOffsets.length; e++) if (tiles.subarray(sideOffsets[e], sideOffsets[e + 1]).includes(tile)) out.push(e);
  return Uint32Array.from(out);
}
