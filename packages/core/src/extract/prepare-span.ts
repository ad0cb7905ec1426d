import { diagonalOf } from '../mesh/bounds';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount, requireUvs } from '../mesh/poly-mesh';
import type { Triangles } from '../mesh/triangulate';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import { MAP_KINDS } from '../raster/map-kinds';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads, placeF32, placeU32 } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { requireSameFacing } from '../spatial/same-facing';
import type { BaseSurface, MeasuringOptions } from '../subdivision/base-surface';
import { baseSurfaceForMeasuring } from '../subdivision/base-surface';
import type { ExtractOptions, Match } from './extract-options';
import type { BaseArrays } from './place';
import type { AnswerSource } from './point-values';
import { reachInStack, reachToFreeSculpt } from './reach';
import type { SculptArrays } from './sculpt-search';
import type { SeamEdges } from './seam-places';
import { seamEdges } from './seam-places';
import type { MeasureSpec } from './kinds/table';
import { sidesBeside } from './sides';
import type { Given, Pair } from './span-pair';
import { answerSource, expectedLevels, givenPair, isSearched, pairOf, searchedVerts, treeOf } from './span-pair';
import type { PointSource } from './span-measures';
import { measuresOf } from './span-measures';
import { valuesAtParameters } from './stack-match';

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

/** Refines the base, builds the sculpt's tree, decides how to match and how far to reach.
 *  @throws InvalidInputError NO_UVS, NO_FACES, SAME_SURFACE, NO_OVERLAP, INSIDE_OUT, NOT_A_STACK, BAD_OPTION; CancelledError */
export function prepareSpan(
  low: PolyMesh,
  sculpt: PolyMesh,
  options: Partial<ExtractOptions> = {},
  threads: Threads = inlineThreads,
  control?: RunControl,
): SpanSurfaces {
  const given = givenPair(low, sculpt, options, threads, control);
  const pair = pairOf(low, given, control);
  const base = placedBase(baseOf(low, given, pair.levels, control), threads);
  return spanOf(low, pair, base, treeOf(pair, threads, control), threads, control);
}

/** The same; where there are other threads, they make what one mesh is enough for, while this one sees how the two lie on each other.
 *  @throws what `prepareSpan` throws */
export async function prepareSpanBeside(
  low: PolyMesh,
  sculpt: PolyMesh,
  options: Partial<ExtractOptions>,
  threads: Threads,
  control?: RunControl,
): Promise<SpanSurfaces> {
  if (threads.count < 2) return prepareSpan(low, sculpt, options, threads, control);
  const given = givenPair(low, sculpt, options, threads, control);
  const expected = expectedLevels(low, given);
  const isMatched = expected !== null;
  const made = sidesBeside(
    [
      ...(isMatched ? [{ of: 'low', low, base: given.options.base, measuring: measuringOf(given, expected) } as const] : []),
      ...(isSearched(given, expected) ? [{ of: 'sculpt', positions: given.sculpt.positions, corners: given.verts } as const] : []),
    ],
    threads,
    control,
  );
  made.catch(() => undefined); // heard below, unless the matching fails first
  // threads are given their work when this one pauses
  await Promise.resolve();
  const pair = pairOf(low, given, control);
  const own = isMatched ? null : baseOf(low, given, pair.levels, control);
  if (pair.isSearched) control?.onProgress?.(0.4, 'building the search tree');
  const { base: found, tree } = await made;
  const base = own ?? (pair.levels === expected ? found : null) ?? baseOf(low, given, pair.levels, control);
  return spanOf(low, pair, placedBase(base, threads), tree ?? treeOf(pair, threads, control), threads, control);
}

const measuringOf = ({ options: o }: Given, levels: number | null): MeasuringOptions => ({
  atLeast: levels ?? 0,
  texels: o.width * o.height,
  surface: o.surface,
});

function baseOf(low: PolyMesh, given: Given, levels: number | null, control?: RunControl): BaseSurface {
  const found = baseSurfaceForMeasuring(low, given.options.base, measuringOf(given, levels), subProgress(control, 0.05, 0.4));
  throwIfAborted(control);
  return found;
}

/** The base in memory that all threads see. */
const placedBase = ({ mesh, normals, level }: BaseSurface, { allocate }: Threads): BaseSurface => ({
  mesh: { ...mesh, positions: placeF32(mesh.positions, allocate) },
  normals: placeF32(normals, allocate),
  level,
});

function spanOf(low: PolyMesh, pair: Pair, base: BaseSurface, tree: Bvh, threads: Threads, control?: RunControl): SpanSurfaces {
  const { match, levels, sculpt } = pair;
  const { options: o, lowTiles, tiles } = pair.given;
  const source = answerSource(o, match);
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
    sculpt: { tree, reach, verts: o.maps.every((kind) => MAP_KINDS[kind].needs.ray) ? null : searchedVerts(pair, threads) },
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
