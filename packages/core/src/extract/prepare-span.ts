import { diagonalOf } from '../mesh/bounds';
import { withOriginOf } from '../mesh/local-origin';
import { requireOverlap } from '../mesh/same-place';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount, requireUvs } from '../mesh/poly-mesh';
import type { Triangles } from '../mesh/triangulate';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import { asksRay, MAP_KINDS } from '../raster/map-kinds';
import { InvalidInputError } from '../runtime/errors';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads, placeF32, placeU32 } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildRayBvh } from '../spatial/bvh';
import { treeBeside } from '../spatial/tree-beside';
import { requireSameFacing } from '../spatial/same-facing';
import type { BaseSurface } from '../subdivision/base-surface';
import { baseSurfaceForMeasuring } from '../subdivision/base-surface';
import { faceTiles, tilesInUse } from '../uv/tiles';
import type { ExtractOptions, Match } from './extract-options';
import { checkOptions, EXTRACT_DEFAULTS } from './extract-options';
import type { BaseArrays } from './place';
import type { AnswerSource } from './point-values';
import { reachInStack, reachToFreeSculpt } from './reach';
import type { SculptArrays } from './sculpt-search';
import type { SeamEdges } from './seam-places';
import { seamEdges } from './seam-places';
import type { MeasureSpec } from './kinds/table';
import type { PointSource } from './span-measures';
import { measuresOf } from './span-measures';
import { stackLevel, valuesAtParameters } from './stack-match';

/** What all tiles of a span share; made once. */
export interface SpanSurfaces {
  readonly options: ExtractOptions;
  /** One a map asked for. */
  readonly measures: readonly MeasureSpec[];
  readonly match: Match;
  /** Levels between low and sculpt in one stack; null for a free sculpt. */
  readonly levels: number | null;
  readonly base: BaseSurface;
  readonly arrays: BaseArrays;
  readonly sculpt: SculptArrays;
  readonly reach: number;
  /** Where all but heights and same-stack vectors are read. */
  readonly source: AnswerSource;
  readonly uvCorners: Uint32Array; // 3 T
  readonly uvs: Float32Array;
  /** Tile of each face of the light mesh. */
  readonly lowTiles: Uint16Array;
  readonly tiles: readonly number[];
  /** Null unless seams are matched: the edges, below which number points of the base are those of the level that will be rendered, and how
   *  many edges lie between two of them. */
  readonly seams: { readonly edges: SeamEdges; readonly rendered: number; readonly apart: number } | null;
}

function answerSource(o: ExtractOptions, match: Match): AnswerSource {
  if (match === 'closest') return 'closest';
  return asksRay(o.maps) || o.normalsForHeights || match === 'rays' ? 'hit' : 'parameter';
}

/** Refines the base, builds the sculpt's tree, decides how to match and how far to reach.
 *  @throws InvalidInputError NO_UVS, NO_FACES, SAME_SURFACE, NO_OVERLAP, INSIDE_OUT, NOT_A_STACK, BAD_OPTION; CancelledError */
export function prepareSpan(
  low: PolyMesh,
  sculpt: PolyMesh,
  options: Partial<ExtractOptions> = {},
  threads: Threads = inlineThreads,
  control?: RunControl,
): SpanSurfaces {
  const pair = pairOf(low, sculpt, options, threads, control);
  const base = baseOf(low, pair, threads, control);
  if (pair.isSearched) control?.onProgress?.(0.4, 'building the search tree');
  return spanOf(low, pair, base, buildRayBvh(pair.sculpt.positions, searchedVerts(pair), threads.allocate), threads, control);
}

/** The same, with the tree built by another thread meanwhile, where there is one. @throws what `prepareSpan` throws */
export async function prepareSpanBeside(
  low: PolyMesh,
  sculpt: PolyMesh,
  options: Partial<ExtractOptions>,
  threads: Threads,
  control?: RunControl,
): Promise<SpanSurfaces> {
  const pair = pairOf(low, sculpt, options, threads, control);
  const building = pair.isSearched ? treeBeside(pair.sculpt.positions, searchedVerts(pair), threads, control) : Promise.resolve(null);
  building.catch(() => undefined); // heard below, unless the base fails first
  // threads are given their work when this one pauses
  await Promise.resolve();
  const base = baseOf(low, pair, threads, control);
  if (pair.isSearched) control?.onProgress?.(0.4, 'building the search tree');
  const tree = (await building) ?? buildRayBvh(pair.sculpt.positions, searchedVerts(pair), threads.allocate);
  return spanOf(low, pair, base, tree, threads, control);
}

/** Low mesh and sculpt as they are matched. */
interface Pair {
  readonly options: ExtractOptions;
  readonly match: Match;
  readonly levels: number | null;
  /** In the points' order of its stack. */
  readonly sculpt: PolyMesh;
  readonly verts: Uint32Array; // 3 T: points of its triangles
  /** Whether anything is looked for by its tree. */
  readonly isSearched: boolean;
  readonly source: AnswerSource;
  readonly lowTiles: Uint16Array;
  readonly tiles: readonly number[];
}

const searchedVerts = ({ isSearched, verts }: Pair): Uint32Array => (isSearched ? verts : new Uint32Array(0));

function pairOf(low: PolyMesh, givenSculpt: PolyMesh, options: Partial<ExtractOptions>, threads: Threads, control?: RunControl): Pair {
  const o = resolveOptions('extract', EXTRACT_DEFAULTS, options);
  checkOptions(o);
  const { faceUvs, uvs: lowUvs } = requireUvs(low);
  const there = withOriginOf(givenSculpt, low);
  refuseHopelessPairs(low, there);
  const lowTiles = faceTiles(low, lowUvs, faceUvs);
  const tiles = tilesInUse(lowTiles);
  if (tiles.length === 0)
    throw new InvalidInputError(
      'NO_TILE',
      'All UVs lie outside the numbered tiles (u from 0 to 10, v from 0 up); move the islands and bring the mesh in again.',
    );

  control?.onProgress?.(0, 'matching');
  const { match, levels, sculpt } = matched(low, there, o, control);
  if (o.maps.some((kind) => MAP_KINDS[kind].needs.colours) && sculpt.colors === null)
    throw new InvalidInputError(
      'NO_COLOURS',
      'The sculpt has no point colours; paint it, write it with colours, or leave the colour map out.',
      { option: 'maps' },
    );
  throwIfAborted(control);
  const source = answerSource(o, match);
  return {
    options: o,
    match,
    levels,
    sculpt,
    verts: triangleVerts(sculpt, triangulate(sculpt), threads.allocate),
    // equal parameters need no search: half of the time of preparing goes into the tree
    isSearched: levels === null || source !== 'parameter' || o.maps.some((kind) => MAP_KINDS[kind].needs.tree),
    source,
    lowTiles,
    tiles,
  };
}

/** The base in memory that all threads see. */
function baseOf(low: PolyMesh, { options: o, levels }: Pair, { allocate }: Threads, control?: RunControl): BaseSurface {
  const found = baseSurfaceForMeasuring(
    low,
    o.base,
    { atLeast: levels ?? 0, texels: o.width * o.height, surface: o.surface },
    subProgress(control, 0.05, 0.4),
  );
  throwIfAborted(control);
  return {
    ...found,
    mesh: { ...found.mesh, positions: placeF32(found.mesh.positions, allocate) },
    normals: placeF32(found.normals, allocate),
  };
}

function spanOf(low: PolyMesh, pair: Pair, base: BaseSurface, tree: Bvh, threads: Threads, control?: RunControl): SpanSurfaces {
  const { options: o, match, levels, sculpt, verts: sculptVerts, source, lowTiles, tiles } = pair;
  if (levels === null) requireSameFacing({ positions: base.mesh.positions, normals: base.normals }, tree);
  throwIfAborted(control);
  control?.onProgress?.(0.85, 'finding the reach');
  const placed = (values: Float32Array): Float32Array => placeF32(values, threads.allocate);
  const triangles = triangulate(base.mesh);
  const baseUvs = requireUvs(base.mesh);
  const uvCorners = new Uint32Array(threads.allocate(4 * triangles.corners.length));
  for (let i = 0; i < uvCorners.length; i++) uvCorners[i] = baseUvs.faceUvs[triangles.corners[i]];
  const extra = base.level - (levels ?? 0);
  const arrays: BaseArrays = {
    positions: base.mesh.positions,
    normals: base.normals,
    match: levels === null ? null : placed(valuesAtParameters(sculpt, sculpt.positions, extra)),
    verts: triangleVerts(base.mesh, triangles, threads.allocate),
    lowFaces: placeU32(lowFacesOf(low, base.level, triangles.faces), threads.allocate),
  };
  const reach = reachOf(o, low, base, arrays, sculpt, tree);
  const values: PointSource = {
    sculpt: (own, width) => ({ width, sculpt: placed(own), base: null }),
    base: (own, width) => ({ width, sculpt: null, base: placed(valuesAtParameters(sculpt, own, extra, width)) }),
  };
  const measures = measuresOf(
    { o, low, sculpt, base, levels, source, match: arrays.match, triangles: triangles.corners, values, placed, threads },
    control,
  );
  return {
    options: o,
    match,
    levels,
    base,
    arrays,
    sculpt: { tree, reach, verts: o.maps.every((kind) => MAP_KINDS[kind].needs.ray) ? null : sculptVerts },
    reach,
    source,
    measures,
    uvCorners,
    uvs: placed(baseUvs.uvs),
    lowTiles,
    tiles,
    seams: o.matchSeams ? seamsOf(low, base, triangles, lowTiles, levels, sculpt, threads) : null,
  };
}

/** How the two surfaces are paired, and the sculpt in the points' order of its stack.
 *  @throws InvalidInputError NOT_A_STACK */
function matched(
  low: PolyMesh,
  sculpt: PolyMesh,
  { match }: ExtractOptions,
  control?: RunControl,
): { readonly match: Match; readonly levels: number | null; readonly sculpt: PolyMesh } {
  const stack = match === 'rays' || match === 'closest' ? null : stackLevel(low, sculpt, control);
  if (match === 'stack' && stack === null)
    throw new InvalidInputError('NOT_A_STACK', 'The two meshes are not levels of one stack (their connectivity differs); use match rays.', {
      option: 'match',
    });
  const found: Match = stack === null ? 'rays' : 'stack';
  return { match: match === 'auto' ? found : match, levels: stack?.levels ?? null, sculpt: stack?.mesh ?? sculpt };
}

/** Scene units: what was asked for, or what the surfaces take. */
function reachOf({ reach }: ExtractOptions, low: PolyMesh, base: BaseSurface, { match }: BaseArrays, sculpt: PolyMesh, tree: Bvh): number {
  const found =
    reach !== 'auto'
      ? reach
      : match !== null
        ? reachInStack(base.mesh.positions, match)
        : reachToFreeSculpt(low, base, sculpt.positions, tree);
  // a base that lies on the sculpt still needs a reach that rounding cannot miss
  return Math.max(found, 1e-6 * diagonalOf(low.positions));
}

/** What is rendered has the sculpt's own points, or those of the base where no level says. */
function seamsOf(
  low: PolyMesh,
  base: BaseSurface,
  triangles: Triangles,
  lowTiles: Uint16Array,
  levels: number | null,
  sculpt: PolyMesh,
  threads: Threads,
): SpanSurfaces['seams'] {
  const perFace = lowFacesOf(
    low,
    base.level,
    Uint32Array.from({ length: faceCount(base.mesh) }, (_, f) => f),
  );
  return {
    edges: placedSeams(
      seamEdges(base.mesh, triangles, (f) => lowTiles[perFace[f]]),
      threads,
    ),
    rendered: pointCount(levels === null ? base.mesh : sculpt),
    apart: levels === null ? 1 : 2 ** Math.max(0, base.level - levels),
  };
}

function refuseHopelessPairs(low: PolyMesh, sculpt: PolyMesh): void {
  if (sculpt.faceOffsets.length < 2) throw new InvalidInputError('NO_FACES', 'The sculpt has no faces; write it again with its polygons.');
  if (pointCount(low) === pointCount(sculpt) && low.positions.every((x, i) => x === sculpt.positions[i]))
    throw new InvalidInputError(
      'SAME_SURFACE',
      'Low mesh and sculpt are the same surface, so the map would be empty; choose a higher level as the sculpt.',
    );
  requireOverlap(low, sculpt);
}

/** The light mesh's face under each refined face: children of a face follow each other. `faces` ascends. */
function lowFacesOf(low: PolyMesh, level: number, faces: Uint32Array): Uint32Array {
  const out = new Uint32Array(faces.length);
  const perCorner = level === 0 ? 0 : 4 ** (level - 1);
  let f = 0;
  for (let t = 0; t < faces.length; t++) {
    if (perCorner === 0) f = faces[t];
    else while (faces[t] >= low.faceOffsets[f + 1] * perCorner) f++;
    out[t] = f;
  }
  return out;
}

const placedSeams = (edges: SeamEdges, { allocate }: Threads): SeamEdges => ({
  ends: placeU32(edges.ends, allocate),
  sideOffsets: placeU32(edges.sideOffsets, allocate),
  tiles: placeU32(edges.tiles, allocate),
  triangles: placeU32(edges.triangles, allocate),
  corners: placeU32(edges.corners, allocate),
  uvs: placeF32(edges.uvs, allocate),
});
