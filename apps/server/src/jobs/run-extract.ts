import type { BandOfTile, Field, RunControl, SpanSurfaces, Threads } from '@estampe/core';
import {
  extractTile,
  fieldCountsByThreads,
  fieldRecord,
  fieldSpread,
  meshWithin,
  prepareSpanBeside,
  radiusEdgesOf,
  stopOf,
  subProgress,
  writeField,
  writePyramid,
} from '@estampe/core';
import type { ThreadPool } from '@estampe/node';
import { meshHash, nodeZlib, zlibBy } from '@estampe/node';
import type { ExtractResult, JobInput, PieceOfTile } from './job-messages';
import { spanOptions } from './job-messages';
import { PieceMaker } from './piece-maker';

type TileInput = Extract<JobInput, { kind: 'extract' }>;
/** Share of a tile's progress that preparing takes where it has to be done. */
const PREPARING = 0.35;
const WRITING = 0.15;
/** A field with a longer side is too much to be fetched whole for a first look. */
const PICTURED_SIDE = 1024;

/** Measures tiles of spans, all maps of a pass at once, and keeps the prepared surfaces for the next tile of the same pass. */
export class PassRunner {
  private held: { readonly key: string; readonly span: SpanSurfaces; readonly source: { unit: string; lowHash: string } } | null = null;

  constructor(private readonly onPiece: (piece: PieceOfTile) => void) {}

  forget(): void {
    this.held = null;
  }

  async run(input: TileInput, threads: ThreadPool, control: RunControl): Promise<ExtractResult> {
    const { key, settings, tile, lowHash, sculptHash } = input;
    const fresh = this.held?.key !== key;
    const { span, source } = await this.prepare(input, threads, subProgress(control, 0, PREPARING));
    const start = fresh ? PREPARING : 0;
    const at = (part: number): number => start + (1 - start) * part;
    const started = performance.now();
    const pieces = new PieceMaker(tile, span, this.onPiece);
    const measuring = { ...subProgress(control, start, at(1 - WRITING)), onBand: (band: BandOfTile) => pieces.add(band) };
    const measured = await extractTile(span, tile, threads, measuring);
    const seconds = (performance.now() - started) / 1000;
    const maps: ExtractResult['maps'][number][] = [];
    for (const [k, { kind, colourSpace }] of settings.entries()) {
      const field = measured.fields.get(kind) as Field;
      const counts = await fieldCountsByThreads(field, threads, stopOf(control));
      const record = fieldRecord(span, kind, tile, field, { ...source, colourSpace, counts });
      const write = (part: number): number => at(1 - WRITING + (WRITING * (k + part)) / settings.length);
      const file = await writeField(field, record, measured.texelSizes, zlibBy(threads), subProgress(control, write(0), write(0.8)));
      const { width, height } = field;
      const pictures =
        Math.max(width, height) > PICTURED_SIDE ? await writePyramid(field, nodeZlib, subProgress(control, write(0.8), write(1))) : null;
      const { match, reach, baseLevel } = record;
      maps.push({
        file,
        pictures,
        info: {
          width, height, bytes: file.length, match, reach, baseLevel, ...counts, ends: [...counts.ends], sheets: measured.sheets?.patches ?? 0, rays: measured.rays, seconds, lowHash, sculptHash,
          fit: measured.fits.get(kind) ?? null, radiusEdges: radiusEdgesOf(span, kind), texelUnits: meanSize(measured.texelSizes), spread: fieldSpread(field),
        }, // prettier-ignore
      });
    }
    return { kind: 'extract', tile, maps };
  }

  private async prepare(input: TileInput, threads: Threads, control: RunControl) {
    if (this.held?.key === input.key) return this.held;
    this.held = null;
    if (input.pair === null) throw new Error('a pass that is not held came without its meshes');
    const low = meshWithin(input.pair.low);
    const span = await prepareSpanBeside(low, meshWithin(input.pair.sculpt), spanOptions(input.settings), threads, control);
    this.held = { key: input.key, span, source: { unit: input.unit, lowHash: meshHash(low) } };
    return this.held;
  }
}

/** Mean of the blocks that have a size; null when none has. */
function meanSize(sizes: Float32Array): number | null {
  const known = sizes.filter((s) => s > 0);
  return known.length === 0 ? null : known.reduce((sum, s) => sum + s, 0) / known.length;
}
