import { NO_MATCH } from '../mesh/isomorphism';
import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount, requireUvs } from '../mesh/poly-mesh';
import { requireOverlap } from '../mesh/same-place';
import { surfaceVerts } from '../mesh/triangulate';
import { asksRay, MAP_KINDS, isDifference } from '../raster/map-kinds';
import { InvalidInputError } from '../runtime/errors';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildRayBvh } from '../spatial/bvh';
import type { BaseSurface } from '../subdivision/base-surface';
import { faceTiles, tilesInUse } from '../uv/tiles';
import type { ExtractOptions, Match } from './extract-options';
import { checkOptions, EXTRACT_DEFAULTS } from './extract-options';
import type { AnswerSource } from './point-values';
import type { StackLevel } from './stack-match';
import { levelsByCount, stackLevel } from './stack-match';

/** What of the options says how the two are matched and searched. */
type Sought = Pick<ExtractOptions, 'match' | 'maps' | 'normalsForHeights' | 'fitTexels'>;

/** Low mesh and sculpt before it is known how they lie on each other. */
export interface Given {
  readonly options: ExtractOptions;
  /** In the points' order of its file, counted from the light mesh's origin. */
  readonly sculpt: PolyMesh;
  /** Points of its triangles: 3 T. Found when they are first asked for: where nothing is searched nobody does. */
  readonly verts: () => Uint32Array;
  readonly lowTiles: Uint16Array;
  readonly tiles: readonly number[];
}

/** The two as they are matched. */
export interface Pair {
  readonly given: Given;
  readonly match: Match;
  readonly levels: number | null;
  /** In the points' order of its stack. */
  readonly sculpt: PolyMesh;
  /** Which of the given points each of these is; null where they are the same. */
  readonly points: Uint32Array | null;
  /** Whether anything is looked for by the sculpt's tree. */
  readonly isSearched: boolean;
}

/** Tiles and triangles of two meshes that may be a pair.
 *  @throws InvalidInputError NO_UVS, NO_FACES, NO_TILE, NO_COLOURS, SAME_SURFACE, NO_OVERLAP, BAD_OPTION */
export function givenPair(
  low: PolyMesh,
  givenSculpt: PolyMesh,
  options: Partial<ExtractOptions>,
  threads: Threads,
  control?: RunControl,
): Given {
  const asked = resolveOptions('extract', EXTRACT_DEFAULTS, options);
  checkOptions(asked);
  const { faceUvs, uvs: lowUvs } = requireUvs(low);
  const sculpt = withOriginOf(givenSculpt, low);
  const o = isSameSurface(low, sculpt) ? ofOneSurface(asked) : asked;
  refuseHopelessPairs(low, sculpt);
  const lowTiles = faceTiles(low, lowUvs, faceUvs);
  const tiles = tilesInUse(lowTiles);
  if (tiles.length === 0)
    throw new InvalidInputError(
      'NO_TILE',
      'All UVs lie outside the numbered tiles (u from 0 to 10, v from 0 up); move the islands and bring the mesh in again.',
    );
  if (o.maps.some((kind) => MAP_KINDS[kind].needs.colours) && sculpt.colors === null)
    throw new InvalidInputError(
      'NO_COLOURS',
      'The sculpt has no point colours; paint it, write it with colours, or leave the colour map out.',
      { option: 'maps' },
    );
  throwIfAborted(control);
  let verts: Uint32Array | null = null;
  return { options: o, sculpt, verts: () => (verts ??= surfaceVerts(sculpt, threads.allocate)), lowTiles, tiles };
}

/** Whether the two are looked at as levels of one stack. */
export const mayMatch = ({ match }: Sought): boolean => match !== 'rays' && match !== 'closest';

/** Levels between the two by counting alone: nearly always what matching will say. */
export const expectedLevels = (low: PolyMesh, { options, sculpt }: Given): number | null =>
  mayMatch(options) ? levelsByCount(low, sculpt) : null;

const matchOf = ({ match }: Sought, levels: number | null): Match => (match !== 'auto' ? match : levels === null ? 'rays' : 'stack');

/** A base as the light mesh at a level, to match a sculpt with: smooth, as sculpts are. Null where it is another. */
export const refinedOf = ({ level, mesh }: BaseSurface, { base }: ExtractOptions, levels: number): PolyMesh | null =>
  base === 'limit' && level === levels ? { ...mesh, uvs: null, faceUvs: null, colors: null } : null;

/** Equal parameters need no search: half of the time of preparing goes into the tree. */
export const isSearched = (o: Sought, levels: number | null): boolean =>
  levels === null || answerSource(o, matchOf(o, levels)) !== 'parameter' || o.maps.some((kind) => MAP_KINDS[kind].needs.tree);

/** What is done with a pair of meshes before it is measured. */
export interface SpanWork {
  /** The sculpt is matched with the light mesh as a level of its stack. */
  readonly isMatched: boolean;
  /** A tree of the sculpt is built. */
  readonly isSearched: boolean;
  /** Patches of other layers are looked for in what was measured. */
  readonly mendsSheets: boolean;
}

/** What a pair's options ask for. @param levels between the two in one stack; null for a free sculpt */
export function spanWork(options: Partial<Sought>, levels: number | null): SpanWork {
  const o = resolveOptions('extract', EXTRACT_DEFAULTS, options);
  const matched = mayMatch(o) ? levels : null;
  return { isMatched: matched !== null, isSearched: isSearched(o, matched), mendsSheets: mendsSheets(o, matched) };
}

/** Whether sheets are looked for: where the same parameters do not tell the layers of a sculpt apart, and texels have answers of their own. */
export const mendsSheets = (o: Sought, levels: number | null): boolean =>
  levels === null && answerSource(o, matchOf(o, levels)) === 'hit' && !o.fitTexels;

/** How the two surfaces are paired, and the sculpt in the points' order of its stack.
 *  @param base of the expected levels  @throws InvalidInputError NOT_A_STACK; CancelledError */
export function pairOf(low: PolyMesh, given: Given, base: BaseSurface, control?: RunControl): Pair {
  const expected = expectedLevels(low, given);
  const stack =
    expected === null ? null : stackLevel(low, given.sculpt, control, { refined: refinedOf(base, given.options, expected), across: null });
  throwIfAborted(control);
  return pairFrom(given, stack);
}

/** @param stack as it was found @throws InvalidInputError NOT_A_STACK */
export function pairFrom(given: Given, stack: StackLevel | null): Pair {
  const { options: o, sculpt } = given;
  if (o.match === 'stack' && stack === null)
    throw new InvalidInputError('NOT_A_STACK', 'The two meshes are not levels of one stack (their connectivity differs); use match rays.', {
      option: 'match',
    });
  const levels = stack?.levels ?? null;
  return {
    given,
    match: matchOf(o, levels),
    levels,
    sculpt: stack?.mesh ?? sculpt,
    points: stack?.points ?? null,
    isSearched: isSearched(o, levels),
  };
}

/** The sculpt's tree, over its triangles in the order of its file. */
export function treeOf({ given: { sculpt, verts }, isSearched }: Pair, { allocate }: Threads, control?: RunControl): Bvh {
  if (isSearched) control?.onProgress?.(0.4, 'building the search tree');
  return buildRayBvh(sculpt.positions, isSearched ? verts() : new Uint32Array(0), allocate);
}

/** Points of the tree's triangles, in the order of the stack. */
export function searchedVerts({ given, points }: Pair, { allocate }: Threads): Uint32Array {
  const { sculpt } = given;
  const verts = given.verts();
  if (points === null) return verts;
  const here = new Uint32Array(pointCount(sculpt));
  for (let i = 0; i < points.length; i++) if (points[i] !== NO_MATCH) here[points[i]] = i;
  const out = new Uint32Array(allocate(verts.byteLength));
  for (let i = 0; i < verts.length; i++) out[i] = here[verts[i]];
  return out;
}

/** Options of maps that one surface has: they are read where it is, as no map puts it anywhere else. @throws InvalidInputError SAME_SURFACE */
function ofOneSurface(o: ExtractOptions): ExtractOptions {
  const empty = o.maps.find((kind) => isDifference(kind, o.frame));
  if (empty !== undefined)
    throw new InvalidInputError(
      'SAME_SURFACE',
      `Low mesh and sculpt are the same surface, so the ${empty} map would be empty; choose a higher level as the sculpt, or maps that one surface has (occlusion, curvature, colour and so on).`,
    );
  return { ...o, normalsForHeights: false, match: o.match === 'rays' ? 'closest' : o.match };
}

const isSameSurface = (low: PolyMesh, sculpt: PolyMesh): boolean =>
  pointCount(low) === pointCount(sculpt) && low.positions.every((x, i) => x === sculpt.positions[i]);

function refuseHopelessPairs(low: PolyMesh, sculpt: PolyMesh): void {
  if (sculpt.faceOffsets.length < 2) throw new InvalidInputError('NO_FACES', 'The sculpt has no faces; write it again with its polygons.');
  requireOverlap(low, sculpt);
}

/** Where values are read that are not told by equal parameters alone. */
export function answerSource(o: Sought, match: Match): AnswerSource {
  if (match === 'closest') return 'closest';
  return asksRay(o.maps) || o.normalsForHeights || match === 'rays' ? 'hit' : 'parameter';
}
