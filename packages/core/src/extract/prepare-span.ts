import { diagonalOf } from '../mesh/bounds';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount, requireUvs } from '../mesh/poly-mesh';
import type { Triangles } from '../mesh/triangulate';
import { MAP_KINDS } from '../raster/map-kinds';
import { EstampeError } from '../runtime/errors';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads, ownMemory, placeF32, placeU32, seenByAll } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { rayBvhByThreads } from '../spatial/tree-by-threads';
import { requireSameFacing } from '../spatial/same-facing';
import type { BaseSurface } from '../subdivision/base-surface';
import type { ExtractOptions, Match } from './extract-options';
import { checkOptions, EXTRACT_DEFAULTS } from './extract-options';
import type { BaseArrays } from './place';
import type { AnswerSource } from './point-values';
import type { ReachSides } from './reach';
import { reachByThreads, reachInStack, reachSides, reachToFreeSculpt } from './reach';
import type { SculptArrays } from './sculpt-search';
import type { SeamEdges } from './seam-places';
import { seamEdges } from './seam-places';
import type { MeasureSpec } from './kinds/table';
import type { BegunBase } from './sides';
import { beginBase, sidesBeside } from './sides';
import type { SpanBase } from './span-base';
import { lowFacesOf, spanBase } from './span-base';
import type { Given, Pair } from './span-pair';
import { answerSource, expectedLevels, givenPair, isSearched, mayMatch, pairFrom, pairOf, searchedVerts, treeOf } from './span-pair';
import type { PointSource } from './span-measures';
import { curvatureBeside, measuresOf } from './span-measures';
import { levelsByFaces, valuesAtParameters } from './stack-match';
import type { TileBins } from './tile-bins';

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
  /** Of the only tile; empty where there are several, which are put in bands when their turn comes. */
  readonly bins: readonly TileBins[];
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
  const expected = expectedLevels(low, given);
  const first = baseOf(low, given, expected, threads, control);
  control?.onProgress?.(0.25, 'matching');
  const pair = pairOf(low, given, first, control);
  const base = pair.levels === expected ? first : baseOf(low, given, pair.levels, threads, control);
  const tree = treeOf(pair, threads, control);
  const reach = reachesFreely(pair) ? reachToFreeSculpt(low, base, pair.sculpt.positions, tree) : null;
  return spanOf(low, pair, base, tree, { reach, curvature: null }, threads, control);
}

/** Begins, while a sculpt is still read, with what needs the light mesh alone; `prepareSpanBeside` takes it from there.
 *  @param faces that the sculpt will have @returns null where there are no other threads, and where `prepareSpanBeside` will refuse mesh or options */
export function beginSpan(
  low: PolyMesh,
  faces: number,
  options: Partial<ExtractOptions>,
  threads: Threads,
  control?: RunControl,
): BegunBase | null {
  if (threads.count < 2) return null;
  try {
    const o = resolveOptions('extract', EXTRACT_DEFAULTS, options);
    checkOptions(o);
    requireUvs(low);
    return beginBase(low, o, mayMatch(o) ? levelsByFaces(low, faces) : null, threads, control);
  } catch (error) {
    if (error instanceof EstampeError) return null;
    throw error;
  }
}

/** The same as `prepareSpan`; where there are other threads, they refine the base, build the tree and see how the two lie on each other at the same
 *  time. @param begun of the same light mesh and options  @throws what `prepareSpan` throws */
export async function prepareSpanBeside(
  low: PolyMesh,
  sculpt: PolyMesh,
  options: Partial<ExtractOptions>,
  threads: Threads,
  control?: RunControl,
  begun: BegunBase | null = null,
): Promise<SpanSurfaces> {
  if (threads.count < 2) return prepareSpan(low, sculpt, options, threads, control);
  const given = givenPair(low, sculpt, options, threads, control);
  const expected = expectedLevels(low, given);
  const isToSearch = isSearched(given.options, expected);
  // a file that has other faces than it said is matched by what it has
  const base = begun !== null && begun.levels === expected ? begun : beginBase(low, given.options, expected, threads, control);
  const isFree = expected === null && given.options.reach === 'auto';
  const sides = sidesBeside(base, low, given.sculpt, threads, subProgress(control, 0, isToSearch ? 0.2 : 0.8));
  const sidesOfReach = (surface: BaseSurface): Promise<ReachSides> => reachSides(low, surface, given.sculpt.positions, threads, control);
  const [made, tree, begunReach] = await Promise.all([
    sides,
    isToSearch ? rayBvhByThreads(given.sculpt.positions, given.verts(), threads, subProgress(control, 0.2, 0.75)) : null,
    isFree ? sides.then((side) => sidesOfReach(side.base)) : null,
  ]);
  const pair = pairFrom(given, made.stack && { ...made.stack, mesh: made.stack.mesh ?? given.sculpt });
  const surface = pair.levels === expected ? made.base : baseOf(low, given, pair.levels, threads, control);
  const found = tree ?? treeOf(pair, threads, control);
  control?.onProgress?.(0.8, 'finding the reach');
  const reach = reachesFreely(pair) ? await reachByThreads(begunReach ?? (await sidesOfReach(surface)), found, threads, control) : null;
  const curvature = await curvatureBeside(given.options, pair.sculpt, threads, subProgress(control, 0.8, 0.85));
  return spanOf(low, pair, surface, found, { reach, curvature }, threads, control);
}

const baseOf = (low: PolyMesh, { options }: Given, levels: number | null, { allocate }: Threads, control?: RunControl): SpanBase =>
  spanBase(low, options, levels, allocate, subProgress(control, 0, 0.25));

/** Whether the reach is found by looking how far the two surfaces lie from each other. */
const reachesFreely = ({ levels, given }: Pair): boolean => levels === null && given.options.reach === 'auto';

/** What was found before the rest; null where it was not looked for. */
interface Found {
  readonly reach: number | null;
  readonly curvature: Float32Array | null;
}

function spanOf(low: PolyMesh, pair: Pair, base: SpanBase, tree: Bvh, found: Found, threads: Threads, control?: RunControl): SpanSurfaces {
  const { match, levels, sculpt } = pair;
  const { options: o, lowTiles, tiles } = pair.given;
  const source = answerSource(o, match);
  if (levels === null) requireSameFacing({ positions: base.mesh.positions, normals: base.normals }, tree);
  throwIfAborted(control);
  control?.onProgress?.(0.85, 'finding the reach');
  const placed = (values: Float32Array): Float32Array => seenByAll(values, threads.allocate);
  const { triangles, uvCorners } = base;
  const extra = base.level - (levels ?? 0);
  const arrays: BaseArrays = {
    positions: base.mesh.positions,
    normals: base.normals,
    match: levels === null ? null : placed(valuesAtParameters(sculpt, sculpt.positions, extra)),
    verts: base.verts,
    lowFaces: base.lowFaces,
  };
  const wanted =
    o.reach !== 'auto' ? o.reach : arrays.match !== null ? reachInStack(base.mesh.positions, arrays.match) : (found.reach ?? 0);
  // a base that lies on the sculpt still needs a reach that rounding cannot miss
  const reach = Math.max(wanted, 1e-6 * diagonalOf(low.positions));
  const values: PointSource = {
    sculpt: (own, width) => ({ width, sculpt: placed(own), base: null }),
    base: (own, width) => ({ width, sculpt: null, base: placed(valuesAtParameters(sculpt, own, extra, width)) }),
  };
  const measures = measuresOf(
    { o, low, sculpt, base, source, match: arrays.match, values, curvature: found.curvature, placed, threads },
    control,
  );
  return {
    options: o,
    match,
    levels,
    // its triangles are in the arrays, and would be here twice
    base: { mesh: base.mesh, normals: base.normals, level: base.level },
    arrays,
    sculpt: {
      tree,
      reach,
      verts: !pair.isSearched || o.maps.every((kind) => MAP_KINDS[kind].needs.ray) ? null : searchedVerts(pair, threads),
    },
    reach,
    source,
    measures,
    uvCorners,
    uvs: placed(requireUvs(base.mesh).uvs),
    lowTiles,
    tiles,
    bins: base.bins,
    seams: o.matchSeams ? seamsOf(low, base, triangles, lowTiles, levels, sculpt, threads) : null,
  };
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
    ownMemory,
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

const placedSeams = (edges: SeamEdges, { allocate }: Threads): SeamEdges => ({
  ends: placeU32(edges.ends, allocate),
  sideOffsets: placeU32(edges.sideOffsets, allocate),
  tiles: placeU32(edges.tiles, allocate),
  triangles: placeU32(edges.triangles, allocate),
  corners: placeU32(edges.corners, allocate),
  uvs: placeF32(edges.uvs, allocate),
});
