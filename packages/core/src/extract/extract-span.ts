import { boundsOf, boxesOverlap, diagonalOf } from '../mesh/bounds';
import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount, requireUvs } from '../mesh/poly-mesh';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import type { Field } from '../raster/field';
import { padInPlace } from '../raster/padding';
import { BlockMeans } from '../raster/texel-grid';
import { InvalidInputError } from '../runtime/errors';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads, placeF32, placeU32 } from '../runtime/threads';
import { buildRayBvh } from '../spatial/bvh';
import type { BaseSurface } from '../subdivision/base-surface';
import { baseSurfaceForMeasuring } from '../subdivision/base-surface';
import { binTriangles } from '../uv/rasterise';
import { faceTiles, tileOrigin, tilesInUse } from '../uv/tiles';
import type { FitGain } from './bilinear-fit';
import type { ExtractOptions, Match, MeasuredKind } from './extract-options';
import { checkOptions, EXTRACT_DEFAULTS, isFittable, samplesOf } from './extract-options';
import { fitFieldInPlace } from './fit-tile';
import type { TileJob } from './measure-band';
import { measureBand } from './measure-band';
import type { SeamReads } from './measure-seams';
import { measureSeams } from './measure-seams';
import type { MeasureSpec } from './measures';
import { channelsOf } from './measures';
import { mendSheets } from './mend-sheets';
import type { BaseArrays } from './place';
import type { AnswerSource } from './point-values';
import { reachInStack, reachToFreeSculpt } from './reach';
import type { SculptArrays } from './sculpt-search';
import type { SeamEdges } from './seam-places';
import { seamEdges, seamsOfTile } from './seam-places';
import { shadeColoursInPlace, shadeReadsInPlace } from './shade-colours';
import type { Measures, PointSource } from './span-measures';
import { measuresOf } from './span-measures';
import { stackLevel, valuesAtParameters } from './stack-match';

const BAND_ROWS = 32;

/** What all tiles of a span share; made once. */
export interface SpanSurfaces extends Measures {
  readonly options: ExtractOptions;
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
  return o.maps.includes('scalar') || o.normalsForHeights || match === 'rays' ? 'hit' : 'parameter';
}

/** Refines the base, builds the sculpt's tree, decides how to match and how far to reach.
 *  @throws InvalidInputError NO_UVS, NO_FACES, SAME_SURFACE, NO_OVERLAP, NOT_A_STACK, BAD_OPTION; CancelledError */
export function prepareSpan(
  low: PolyMesh,
  givenSculpt: PolyMesh,
  options: Partial<ExtractOptions> = {},
  threads: Threads = inlineThreads,
  control?: RunControl,
): SpanSurfaces {
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
  const stack = o.match === 'rays' || o.match === 'closest' ? null : stackLevel(low, there, control);
  if (o.match === 'stack' && stack === null)
    throw new InvalidInputError('NOT_A_STACK', 'The two meshes are not levels of one stack (their connectivity differs); use match rays.', {
      option: 'match',
    });
  const match: Match = o.match === 'auto' ? (stack === null ? 'rays' : 'stack') : o.match;
  const levels = stack?.levels ?? null;
  const sculpt = stack?.mesh ?? there;
  if (o.maps.includes('colour') && sculpt.colors === null)
    throw new InvalidInputError(
      'NO_COLOURS',
      'The sculpt has no point colours; paint it, write it with colours, or leave the colour map out.',
      {
        option: 'maps',
      },
    );
  throwIfAborted(control);
  const found = baseSurfaceForMeasuring(low, o.base, levels ?? 0, o.surface, subProgress(control, 0.05, 0.4));
  const placed = (values: Float32Array): Float32Array => placeF32(values, threads.allocate);
  const base: BaseSurface = {
    ...found,
    mesh: { ...found.mesh, positions: placed(found.mesh.positions) },
    normals: placed(found.normals),
  };
  const source = answerSource(o, match);
  throwIfAborted(control);
  const sculptVerts = placeU32(triangleVerts(sculpt, triangulate(sculpt)), threads.allocate);
  // equal parameters need no search: half of the time of preparing goes into the tree
  const searched = levels === null || source !== 'parameter' || o.maps.some((kind) => kind === 'scalar' || kind === 'occlusion');
  if (searched) control?.onProgress?.(0.4, 'building the search tree');
  const tree = buildRayBvh(sculpt.positions, searched ? sculptVerts : new Uint32Array(0), threads.allocate);
  throwIfAborted(control);
  control?.onProgress?.(0.85, 'finding the reach');
  const triangles = triangulate(base.mesh);
  const baseUvs = requireUvs(base.mesh);
  const uvCorners = new Uint32Array(threads.allocate(4 * triangles.corners.length));
  for (let i = 0; i < uvCorners.length; i++) uvCorners[i] = baseUvs.faceUvs[triangles.corners[i]];
  const extra = found.level - (levels ?? 0);
  const arrays: BaseArrays = {
    positions: base.mesh.positions,
    normals: base.normals,
    match: levels === null ? null : placed(valuesAtParameters(sculpt, sculpt.positions, extra)),
    verts: placeU32(triangleVerts(base.mesh, triangles), threads.allocate),
    lowFaces: placeU32(lowFacesOf(low, base.level, triangles.faces), threads.allocate),
  };
  const reach =
    o.reach !== 'auto'
      ? o.reach
      : arrays.match !== null
        ? reachInStack(base.mesh.positions, arrays.match)
        : reachToFreeSculpt(low, base, sculpt.positions, tree);
  // a base that lies on the sculpt still needs a reach that rounding cannot miss
  const safeReach = Math.max(reach, 1e-6 * diagonalOf(low.positions));
  const perFace = lowFacesOf(
    low,
    base.level,
    Uint32Array.from({ length: o.matchSeams ? faceCount(base.mesh) : 0 }, (_, f) => f),
  );
  const values: PointSource = {
    sculpt: (own, width) => ({ width, sculpt: placed(own), base: null }),
    base: (own, width) => ({ width, sculpt: null, base: placed(valuesAtParameters(sculpt, own, extra, width)) }),
  };
  const measured = measuresOf(
    { o, low, sculpt, base, levels, source, match: arrays.match, triangles: triangles.corners, values, placed, threads },
    control,
  );
  return {
    options: o,
    match,
    levels,
    base,
    arrays,
    sculpt: { tree, reach: safeReach, verts: o.maps.every((kind) => kind === 'scalar') ? null : sculptVerts },
    reach: safeReach,
    source,
    ...measured,
    uvCorners,
    uvs: placed(baseUvs.uvs),
    lowTiles,
    tiles,
    // what is rendered has the sculpt's own points, or those of the base where no level says
    seams: o.matchSeams
      ? {
          edges: placedSeams(
            seamEdges(base.mesh, triangles, (f) => lowTiles[perFace[f]]),
            threads,
          ),
          rendered: pointCount(levels === null ? base.mesh : sculpt),
          apart: levels === null ? 1 : 2 ** Math.max(0, base.level - levels),
        }
      : null,
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

export interface ExtractedTile {
  /** Measured fields by kind, padded. */
  readonly fields: ReadonlyMap<MeasuredKind, Field>;
  readonly rays: number;
  /** Mean length of a texel on the surface over a grid of TEXEL_GRID x TEXEL_GRID blocks; 0 where nothing is covered. */
  readonly texelSizes: Float32Array;
  /** What fitting gained, by kind; empty when not asked for. */
  readonly fits: ReadonlyMap<MeasuredKind, FitGain>;
  /** Patches that had their answers from another layer than what surrounds them, and their mended texels; null in a stack, where the same
   *  parameters tell the layers apart, and where texels are fitted to every sample. */
  readonly sheets: { readonly patches: number; readonly texels: number } | null;
}

/** Rows of a tile as they are measured: not yet padded, nor fitted. */
export interface BandOfTile {
  readonly y0: number;
  /** In the order of the span's maps. */
  readonly maps: readonly { readonly values: Float32Array; readonly coverage: Uint8Array }[];
}
export interface TileControl extends RunControl {
  /** Hears of each band when it is done, in no particular order; the arrays are lent. */
  onBand?(band: BandOfTile): void;
}

/** Measures one tile, all maps in one pass. @throws InvalidInputError NO_TILE; CancelledError */
export async function extractTile(
  span: SpanSurfaces,
  tile: number,
  threads: Threads = inlineThreads,
  control?: TileControl,
): Promise<ExtractedTile> {
  const { options: o } = span;
  const { width: W, height: H } = o;
  const { lowFaces } = span.arrays;
  const selected = trianglesOfTile(lowFaces, span.lowTiles, tile);
  if (selected.length === 0)
    throw new InvalidInputError('NO_TILE', `Tile ${tile} has no islands; this asset uses ${span.tiles.join(', ')}.`, { tile });
  const uv = { uvs: span.uvs, corners: span.uvCorners, selected: new Uint32Array(0), origin: tileOrigin(tile) };
  const bins = binTriangles({ ...uv, selected }, H, BAND_ROWS);
  const fields = span.measures.map(({ kind }): Field => {
    const channels = channelsOf(kind);
    return { width: W, height: H, channels, values: new Float32Array(channels * W * H), coverage: new Uint8Array(W * H) };
  });
  const samples = samplesOf(o);
  const fitted = span.measures.map(({ kind }) => o.fitTexels && isFittable(kind));
  const kept = fields.map(({ channels }, i) => (fitted[i] ? new Float32Array(channels * W * H * samples ** 2) : null));
  const fits = W > 1 && H > 1 && (span.seams !== null || fitted.includes(true));
  const grid = new BlockMeans(W, H);
  let rays = 0;
  const looksForSheets = span.levels === null && span.source === 'hit' && !o.fitTexels;
  const found = looksForSheets ? { heights: new Float32Array(W * H).fill(NaN), texelSizes: new Float32Array(W * H) } : null;
  const job: TileJob = {
    width: W,
    height: H,
    samples,
    base: span.arrays,
    sculpt: span.sculpt,
    uv,
    bins: { offsets: bins.offsets, items: placeU32(bins.items, threads.allocate) },
    bandRows: BAND_ROWS,
    // tiles have noise of their own
    measures: span.measures.map((m) => (m.kind === 'occlusion' ? { ...m, options: { ...m.options, tile } } : m)),
    source: span.source,
    keepSamples: fitted,
    keepHeights: looksForSheets,
    wanted: null,
  };
  await threads.run(
    measureBand,
    job,
    Array.from({ length: bins.offsets.length - 1 }, (_, i) => i),
    (result, band) => {
      const y0 = band * BAND_ROWS;
      for (const [i, { channels, values, coverage }] of fields.entries()) {
        values.set(result.maps[i].values, channels * y0 * W);
        coverage.set(result.maps[i].coverage, y0 * W);
      }
      for (const [i, own] of result.samples.entries()) if (own) kept[i]?.set(own, fields[i].channels * samples ** 2 * y0 * W);
      grid.add(result.texelSizes, y0);
      found?.heights.set(result.heights, y0 * W);
      found?.texelSizes.set(result.texelSizes, y0 * W);
      rays += result.rays;
      control?.onBand?.({ y0, maps: result.maps });
    },
    subProgress(control, 0, fits || looksForSheets ? 0.75 : 1),
  );
  const mended = found ? await mendSheets(job, found, fields, threads, subProgress(control, 0.75, fits ? 0.85 : 1)) : null;
  const fieldOf = (kind: MeasuredKind): Field | undefined => fields.find((_, i) => span.measures[i].kind === kind);
  const [colours, shade] = [fieldOf('colour'), o.shade === null ? undefined : fieldOf(o.shade.by)];
  if (o.shade && colours && shade) shadeColoursInPlace(colours, shade, o.shade);
  for (const field of fields) padInPlace(field, o.padding);
  const gains = new Map<MeasuredKind, FitGain>();
  if (fits) {
    const own = subProgress(control, looksForSheets ? 0.85 : 0.75, 1);
    const seams = await readSeams(span, tile, threads, subProgress(own, 0, 0.3));
    rays += seams.reduce((sum, s) => sum + s.rays, 0);
    for (const [i, measure] of span.measures.entries()) {
      const { kind } = measure;
      own.onProgress?.(0.3 + (0.7 * i) / fields.length, 'fitting texels');
      const reads = seams.map(({ uvs, weights, places, values }) => ({ uvs, weights, places, values: values[i] }));
      const values = kept[i];
      if (reads.length > 0 || values !== null)
        gains.set(
          kind,
          fitFieldInPlace(
            fields[i],
            kind,
            { seams: reads, samples: values && { n: samples, values }, sidesAlike: sidesAlike(measure) },
            control,
          ),
        );
    }
  }
  return {
    fields: new Map(fields.map((field, i) => [span.measures[i].kind, field])),
    rays: rays + (mended?.rays ?? 0),
    texelSizes: grid.means(),
    fits: gains,
    sheets: mended?.sheets ?? null,
  };
}

const SEAMS_A_TASK = 512;

/** What both sides of the tile's seams should read, all maps of the span; empty when seams are not matched. */
async function readSeams(span: SpanSurfaces, tile: number, threads: Threads, control: RunControl): Promise<SeamReads[]> {
  if (span.seams === null) return [];
  const { options: o, arrays, sculpt, source } = span;
  const selected = seamsOfTile(span.seams.edges, tile);
  const tasks = Array.from({ length: Math.ceil(selected.length / SEAMS_A_TASK) }, (_, i) =>
    selected.slice(i * SEAMS_A_TASK, (i + 1) * SEAMS_A_TASK),
  );
  const out = new Array<SeamReads>(tasks.length);
  const job = { width: o.width, height: o.height, tile, ...span.seams, base: arrays, sculpt, measures: span.measures, source };
  await threads.run(measureSeams, job, tasks, (reads, i) => (out[i] = reads), control);
  const { shade } = o;
  if (shade !== null) {
    const at = (kind: MeasuredKind): number => span.measures.findIndex((m) => m.kind === kind);
    for (const { values } of out) shadeReadsInPlace(values[at('colour')], values[at(shade.by)], shade);
  }
  return out;
}

/** Whether the same values mean the same on both sides of a seam. Heights are written as vectors along the normal that both sides share. */
function sidesAlike(m: MeasureSpec): boolean {
  if (m.kind === 'normal') return m.frames === null;
  return m.kind !== 'vector' || m.frame.kind === 'object' || m.source === 'hit';
}

const placedSeams = (edges: SeamEdges, { allocate }: Threads): SeamEdges => ({
  ends: placeU32(edges.ends, allocate),
  sideOffsets: placeU32(edges.sideOffsets, allocate),
  tiles: placeU32(edges.tiles, allocate),
  triangles: placeU32(edges.triangles, allocate),
  corners: placeU32(edges.corners, allocate),
  uvs: placeF32(edges.uvs, allocate),
});

/** Triangles of a tile, ascending. */
function trianglesOfTile(lowFaces: Uint32Array, lowTiles: Uint16Array, tile: number): Uint32Array {
  let count = 0;
  for (const f of lowFaces) if (lowTiles[f] === tile) count++;
  const out = new Uint32Array(count);
  count = 0;
  for (let t = 0; t < lowFaces.length; t++) if (lowTiles[lowFaces[t]] === tile) out[count++] = t;
  return out;
}
