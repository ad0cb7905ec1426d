import type { Field } from '../raster/field';
import type { MapKind } from '../raster/map-kinds';
import { channelsOf, isFittable } from '../raster/map-kinds';
import { padByThreads } from '../raster/padding';
import { BlockMeans } from '../raster/texel-grid';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads } from '../runtime/threads';
import { tileOrigin } from '../uv/tiles';
import type { FitGain } from './bilinear-fit';
import { samplesOf } from './extract-options';
import { fitFields } from './fit-fields';
import type { TileJob } from './measure-band';
import { measureBand } from './measure-band';
import { measureAtTile } from './kinds/table';
import { mendSheets } from './mend-sheets';
import type { BandPieces } from './pieces';
import type { SpanSurfaces } from './prepare-span';
import { mendsSheets } from './span-pair';
import { shadeColoursInPlace } from './shade-colours';
import { BAND_ROWS, bandsOf, binsOfTile } from './tile-bins';

export interface ExtractedTile {
  /** Measured fields by kind, padded. */
  readonly fields: ReadonlyMap<MapKind, Field>;
  readonly rays: number;
  /** Mean length of a texel on the surface over a grid of TEXEL_GRID x TEXEL_GRID blocks; 0 where nothing is covered. */
  readonly texelSizes: Float32Array;
  /** What fitting gained, by kind; empty when not asked for. */
  readonly fits: ReadonlyMap<MapKind, FitGain>;
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
  const { uvs, uvCorners, lowTiles } = span;
  const { lowFaces } = span.arrays;
  const isOnly = span.tiles.length === 1 && span.tiles[0] === tile;
  const known = isOnly ? span.bins : [];
  const bins = known.length > 0 ? known : binsOfTile({ lowFaces, uvCorners, uvs }, lowTiles, tile, H, threads.allocate);
  if (bins.length === 0)
    throw new InvalidInputError('NO_TILE', `Tile ${tile} has no islands; this asset uses ${span.tiles.join(', ')}.`, { tile });
  const uv = { uvs, corners: uvCorners, selected: new Uint32Array(0), origin: tileOrigin(tile) };
  const fields = span.measures.map(({ kind }): Field => {
    const channels = channelsOf(kind);
    const values = new Float32Array(threads.allocate(4 * channels * W * H));
    return { width: W, height: H, channels, values, coverage: new Uint8Array(threads.allocate(W * H)) };
  });
  const samples = samplesOf(o);
  const keepSamples = span.measures.map(({ kind }) => o.fitTexels && isFittable(kind));
  const kept = fields.map(({ channels }, i) => (keepSamples[i] ? new Float32Array(channels * W * H * samples ** 2) : null));
  const isFitted = W > 1 && H > 1 && (span.seams !== null || keepSamples.includes(true));
  const grid = new BlockMeans(W, H);
  let rays = 0;
  const looksForSheets = mendsSheets(o, span.levels);
  const pieces: BandPieces[] = [];
  const job: TileJob = {
    width: W,
    height: H,
    samples,
    base: span.arrays,
    sculpt: span.sculpt,
    uv,
    bins,
    bandRows: BAND_ROWS,
    measures: span.measures.map((m) => measureAtTile(m, tile)),
    source: span.source,
    keepSamples,
    keepHeights: looksForSheets,
    wanted: null,
  };
  await threads.run(
    measureBand,
    job,
    Array.from({ length: bandsOf(H) }, (_, i) => i),
    (result, band) => {
      const y0 = band * BAND_ROWS;
      for (const [i, { channels, values, coverage }] of fields.entries()) {
        values.set(result.maps[i].values, channels * y0 * W);
        coverage.set(result.maps[i].coverage, y0 * W);
      }
      for (const [i, own] of result.samples.entries()) if (own) kept[i]?.set(own, fields[i].channels * samples ** 2 * y0 * W);
      grid.add(result.texelSizes, y0);
      if (result.pieces) pieces[band] = result.pieces;
      rays += result.rays;
      control?.onBand?.({ y0, maps: result.maps });
    },
    subProgress(control, 0, isFitted || looksForSheets ? 0.75 : 1),
  );
  const mending = subProgress(control, 0.75, isFitted ? 0.85 : 1);
  const mended = looksForSheets ? await mendSheets(job, pieces, fields, threads, mending) : null;
  const { shade } = o;
  if (shade !== null) {
    const fieldOf = (kind: MapKind): Field => fields[o.maps.indexOf(kind)];
    shadeColoursInPlace(fieldOf('colour'), fieldOf(shade.by), shade);
  }
  for (const field of fields) await padByThreads(field, o.padding === 'fill' ? Infinity : o.padding, threads, control);
  const fitting = subProgress(control, looksForSheets ? 0.85 : 0.75, 1);
  const fitted = isFitted ? await fitFields(span, tile, fields, kept, threads, fitting) : null;
  return {
    fields: new Map(fields.map((field, i) => [span.measures[i].kind, field])),
    rays: rays + (mended?.rays ?? 0) + (fitted?.rays ?? 0),
    texelSizes: grid.means(),
    fits: fitted?.gains ?? new Map(),
    sheets: mended?.sheets ?? null,
  };
}
