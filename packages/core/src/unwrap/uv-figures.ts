import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import { islandsOf } from '../uv/islands';
import { nearIslands } from '../uv/margin';
import { overlappingFaces } from '../uv/overlap';
import { faceStretch, stretchRms } from '../uv/stretch';
import { faceTiles, tilesInUse } from '../uv/tiles';

/** What UVs are like, for any mesh that has some. */
export interface UvFigures {
  readonly islands: number;
  readonly tiles: readonly number[];
  /** Share of the faces that cover a place which another covers too. */
  readonly overlap: number;
  /** Area of all islands over the area of the tiles in use. */
  readonly use: number;
  /** By surface area, scaled so that total areas agree: 1 is best (Sander et al. 2001). */
  readonly stretch: { readonly rms: number; readonly p95: number };
  /** Of all seams, each once, scene units; open borders are none. */
  readonly seamLength: number;
  /** Between two islands, texels at `size`; null where there is one island. */
  readonly smallestGap: number | null;
}

/** @param size side of the map, in texels @throws InvalidInputError NO_UVS */
export function uvFigures(mesh: PolyMesh, size: number): UvFigures {
  const { uvs, faceUvs } = requireUvs(mesh);
  const islands = islandsOf(mesh);
  const perFace = faceTiles(mesh, uvs, faceUvs);
  const tiles = tilesInUse(perFace);
  const stretch = faceStretch(mesh);
  const uvArea = stretch.uv.reduce((sum, a) => sum + Math.abs(a), 0);
  const area = stretch.surface.reduce((sum, a) => sum + a, 0);
  return {
    islands: islands.count,
    tiles,
    overlap: overlappingFaces(mesh, uvs, faceUvs, perFace, tiles).faces.length / faceCount(mesh),
    use: uvArea / Math.max(1, tiles.length),
    stretch: { rms: stretchRms(stretch), p95: Math.sqrt((quantile(stretch.squared, stretch.surface, 0.95) * uvArea) / area) },
    seamLength: seamLength(mesh, islands.copies.points, islands.edges.edgeVerts, islands.edges.edgeFaceCounts),
    smallestGap: islands.count < 2 ? null : smallestGap(mesh, islands) * size,
  };
}

function smallestGap(mesh: PolyMesh, islands: ReturnType<typeof islandsOf>): number {
  for (let limit = 1 / 256; limit < 64; limit *= 4) {
    const { smallest } = nearIslands(mesh, islands, limit);
    if (smallest < Infinity) return smallest;
  }
  return Infinity;
}

/** Borders of islands that lie on an edge which other faces have too: both sides of a seam, so half of their length. */
function seamLength({ positions: p }: PolyMesh, points: Uint32Array, edgeVerts: Uint32Array, counts: Uint8Array): number {
  const lengths = new Map<string, { sides: number; length: number }>();
  for (let e = 0; e < counts.length; e++) {
    if (counts[e] !== 1) continue;
    const [a, b] = [points[edgeVerts[2 * e]], points[edgeVerts[2 * e + 1]]];
    const key = a < b ? `${a} ${b}` : `${b} ${a}`;
    const length = Math.hypot(p[3 * a] - p[3 * b], p[3 * a + 1] - p[3 * b + 1], p[3 * a + 2] - p[3 * b + 2]);
    lengths.set(key, { sides: (lengths.get(key)?.sides ?? 0) + 1, length });
  }
  return [...lengths.values()].reduce((sum, { sides, length }) => sum + (sides > 1 ? length : 0), 0);
}

/** Smallest value that at least `share` of the weight does not exceed. */
function quantile(values: Float64Array, weights: Float64Array, share: number): number {
  const order = [...values.keys()].sort((a, b) => values[a] - values[b]);
  let left = share * weights.reduce((sum, w) => sum + w, 0);
  return values[order.find((i) => (left -= weights[i]) <= 0) ?? order[order.length - 1]];
}
