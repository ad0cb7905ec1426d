import { boundsOf, boxesOverlap, diagonalOf } from '../mesh/bounds';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount, requireUvs } from '../mesh/poly-mesh';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import type { Field } from '../raster/field';
import { padInPlace } from '../raster/padding';
import { BlockMeans } from '../raster/texel-grid';
import { InvalidInputError } from '../runtime/errors';
import { checkRange, resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads, placeF32, placeU32 } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildBvh } from '../spatial/bvh';
import type { Base, BaseSurface } from '../subdivision/base-surface';
import { baseSurfaceForMeasuring } from '../subdivision/base-surface';
import type { SurfaceOptions } from '../subdivision/rules';
import { SURFACE_DEFAULTS } from '../subdivision/rules';
import { binTriangles } from '../uv/rasterise';
import { faceTiles, tileOrigin, tilesInUse } from '../uv/tiles';
import { reachInStack, reachToFreeSculpt } from './reach';
import { scalarBand } from './scalar-band';
import { levelsBetween, pointsAtParameters } from './stack-match';

export type Match = 'stack' | 'rays';

export interface ExtractOptions {
  readonly width: number;
  readonly height: number;
  readonly base: Base;
  readonly match: 'auto' | Match;
  /** Scene units, or found from the meshes. */
  readonly reach: 'auto' | number;
  readonly samples: number; // n x n a texel
  readonly padding: number; // texels; Infinity fills the tile
  readonly surface: SurfaceOptions;
}

export const EXTRACT_DEFAULTS: ExtractOptions = {
  width: 2048,
  height: 2048,
  base: 'limit',
  match: 'auto',
  reach: 'auto',
  samples: 1,
  padding: 16,
  surface: SURFACE_DEFAULTS,
};

/** Texels a side that a map may have. */
export const MAX_MAP_SIDE = 16384;
const BAND_ROWS = 32;

/** What all tiles of a span share; made once. */
export interface SpanSurfaces {
  readonly options: ExtractOptions;
  readonly match: Match;
  /** Levels between low and sculpt in one stack; null for a free sculpt. */
  readonly levels: number | null;
  readonly base: BaseSurface;
  readonly matchPoints: Float32Array | null;
  readonly reach: number;
  readonly tree: Bvh;
  readonly verts: Uint32Array; // 3 T
  readonly uvCorners: Uint32Array; // 3 T
  readonly uvs: Float32Array;
  readonly triangleTiles: Uint16Array; // T
  readonly tiles: readonly number[];
}

/** Refines the base, builds the sculpt's tree, decides how to match and how far to reach.
 *  @throws InvalidInputError NO_UVS, NO_FACES, SAME_SURFACE, NO_OVERLAP, NOT_A_STACK, BAD_OPTION; CancelledError */
export function prepareScalar(
  low: PolyMesh,
  sculpt: PolyMesh,
  options: Partial<ExtractOptions> = {},
  threads: Threads = inlineThreads,
  control?: RunControl,
): SpanSurfaces {
  const o = resolveOptions('extract', EXTRACT_DEFAULTS, options);
  checkRange('width', o.width, 1, MAX_MAP_SIDE, true);
  checkRange('height', o.height, 1, MAX_MAP_SIDE, true);
  checkRange('samples', o.samples, 1, 16, true);
  if (o.reach !== 'auto') checkRange('reach', o.reach, Number.MIN_VALUE, Number.MAX_VALUE);
  const { faceUvs, uvs: lowUvs } = requireUvs(low);
  refuseHopelessPairs(low, sculpt);
  const lowTiles = faceTiles(low, lowUvs, faceUvs);
  const tiles = tilesInUse(lowTiles);
  if (tiles.length === 0)
    throw new InvalidInputError(
      'NO_TILE',
      'All UVs lie outside the numbered tiles (u from 0 to 10, v from 0 up); move the islands and bring the mesh in again.',
    );

  control?.onProgress?.(0, 'matching');
  const levels = o.match === 'rays' ? null : levelsBetween(low, sculpt);
  if (o.match === 'stack' && levels === null)
    throw new InvalidInputError('NOT_A_STACK', 'The two meshes are not levels of one stack (their connectivity differs); use match rays.', {
      option: 'match',
    });
  throwIfAborted(control);
  const found = baseSurfaceForMeasuring(low, o.base, levels ?? 0, o.surface, subProgress(control, 0.05, 0.4));
  const matchPoints = levels === null ? null : placeF32(pointsAtParameters(sculpt, found.level - levels), threads.allocate);
  const base: BaseSurface = {
    ...found,
    mesh: { ...found.mesh, positions: placeF32(found.mesh.positions, threads.allocate) },
    normals: placeF32(found.normals, threads.allocate),
  };
  throwIfAborted(control);
  control?.onProgress?.(0.4, 'building the search tree');
  const tree = buildBvh(sculpt.positions, triangleVerts(sculpt, triangulate(sculpt)), threads.allocate);
  throwIfAborted(control);
  control?.onProgress?.(0.85, 'finding the reach');
  const triangles = triangulate(base.mesh);
  const verts = placeU32(triangleVerts(base.mesh, triangles), threads.allocate);
  const baseUvs = requireUvs(base.mesh);
  const uvCorners = new Uint32Array(threads.allocate(4 * triangles.corners.length));
  for (let i = 0; i < uvCorners.length; i++) uvCorners[i] = baseUvs.faceUvs[triangles.corners[i]];
  const reach =
    o.reach !== 'auto'
      ? o.reach
      : matchPoints !== null
        ? reachInStack(base.mesh.positions, matchPoints)
        : reachToFreeSculpt(base.mesh.positions, buildBvh(base.mesh.positions, verts), sculpt.positions, tree);
  return {
    options: o,
    match: levels === null ? 'rays' : 'stack',
    levels,
    base,
    matchPoints,
    // a base that lies on the sculpt still needs a reach that rounding cannot miss
    reach: Math.max(reach, 1e-6 * diagonalOf(low.positions)),
    tree,
    verts,
    uvCorners,
    uvs: placeF32(baseUvs.uvs, threads.allocate),
    triangleTiles: tilesOfTriangles(low, lowTiles, base.level, triangles.faces),
    tiles,
  };
}

function refuseHopelessPairs(low: PolyMesh, sculpt: PolyMesh): void {
  if (sculpt.faceOffsets.length < 2) throw new InvalidInputError('NO_FACES', 'The sculpt has no faces; write it again with its polygons.');
  if (pointCount(low) === pointCount(sculpt) && low.positions.every((x, i) => x === sculpt.positions[i]))
    throw new InvalidInputError(
      'SAME_SURFACE',
      'Low mesh and sculpt are the same surface, so the map would be empty; choose a higher level as the sculpt.',
    );
  const a = boundsOf(low.positions);
  const b = boundsOf(sculpt.positions);
  // flat things touch without overlapping: allow half of the larger diagonal between them
  const slack = 0.5 * Math.max(diagonalOf(low.positions), diagonalOf(sculpt.positions));
  if (!boxesOverlap(a, b, slack))
    throw new InvalidInputError(
      'NO_OVERLAP',
      'Low mesh and sculpt do not overlap anywhere; check that both stand in the same place, unit and scale.',
    );
}

/** Refined faces inherit the tile of their level 0 face: children of a face follow each other. */
function tilesOfTriangles(low: PolyMesh, lowTiles: Uint16Array, level: number, faces: Uint32Array): Uint16Array {
  const out = new Uint16Array(faces.length);
  const perCorner = level === 0 ? 0 : 4 ** (level - 1);
  let f = 0;
  for (let t = 0; t < faces.length; t++) {
    if (perCorner === 0) f = faces[t];
    else while (faces[t] >= low.faceOffsets[f + 1] * perCorner) f++;
    out[t] = lowTiles[f];
  }
  return out;
}

export interface ExtractedTile {
  readonly field: Field;
  readonly rays: number;
  /** Mean length of a texel on the surface over a grid of TEXEL_GRID x TEXEL_GRID blocks; 0 where nothing is covered. */
  readonly texelSizes: Float32Array;
}

/** Measures one tile. @throws InvalidInputError NO_TILE; CancelledError */
export async function extractScalarTile(
  span: SpanSurfaces,
  tile: number,
  threads: Threads = inlineThreads,
  control?: RunControl,
): Promise<ExtractedTile> {
  const { width: W, height: H, samples, padding } = span.options;
  let count = 0;
  for (const t of span.triangleTiles) if (t === tile) count++;
  if (count === 0)
    throw new InvalidInputError('NO_TILE', `Tile ${tile} has no islands; this asset uses ${span.tiles.join(', ')}.`, { tile });
  const selected = new Uint32Array(count);
  count = 0;
  for (let t = 0; t < span.triangleTiles.length; t++) if (span.triangleTiles[t] === tile) selected[count++] = t;
  const uv = { uvs: span.uvs, corners: span.uvCorners, selected: new Uint32Array(0), origin: tileOrigin(tile) };
  const bins = binTriangles({ ...uv, selected }, H, BAND_ROWS);
  const values = new Float32Array(W * H);
  const coverage = new Uint8Array(W * H);
  const grid = new BlockMeans(W, H);
  let rays = 0;
  await threads.run(
    scalarBand,
    {
      width: W,
      height: H,
      samples,
      reach: span.reach,
      positions: span.base.mesh.positions,
      normals: span.base.normals,
      match: span.matchPoints,
      verts: span.verts,
      uv,
      bins: { offsets: bins.offsets, items: placeU32(bins.items, threads.allocate) },
      bandRows: BAND_ROWS,
      tree: span.tree,
    },
    Array.from({ length: bins.offsets.length - 1 }, (_, i) => i),
    (result, band) => {
      values.set(result.values, band * BAND_ROWS * W);
      coverage.set(result.coverage, band * BAND_ROWS * W);
      grid.add(result.texelSizes, band * BAND_ROWS);
      rays += result.rays;
    },
    control,
  );
  const field: Field = { width: W, height: H, channels: 1, values, coverage };
  padInPlace(field, padding);
  return { field, rays, texelSizes: grid.means() };
}
