import type { Field, RunControl, Threads } from '@estampe/core';
import { extractTile, fieldCounts, fieldRecord, prepareSpan, subProgress, unpackMesh, writeField } from '@estampe/core';
import { meshHash, nodeZlib } from '@estampe/node';
import type { ExtractResult, JobInput } from './job-messages';
import { spanOptions } from './job-messages';

/** Measures every tile of a span, all its maps in one pass. */
export async function runExtract(
  input: Extract<JobInput, { kind: 'extract' }>,
  threads: Threads,
  control: RunControl,
): Promise<ExtractResult> {
  const { settings, unit, lowHash, sculptHash } = input;
  const low = unpackMesh(input.low);
  const span = prepareSpan(low, unpackMesh(input.sculpt), spanOptions(settings), threads, subProgress(control, 0, 0.35));
  const source = { unit, lowHash: meshHash(low) };
  const maps: ExtractResult['maps'][number][number][][] = settings.map(() => []);
  for (const [i, tile] of span.tiles.entries()) {
    const started = performance.now();
    const share = (k: number): number => 0.35 + (0.65 * (i + k)) / span.tiles.length;
    const measured = await extractTile(span, tile, threads, subProgress(control, share(0), share(0.85)));
    const seconds = (performance.now() - started) / 1000;
    for (const [k, { kind, colourSpace }] of settings.entries()) {
      const field = measured.fields.get(kind) as Field;
      const record = fieldRecord(span, kind, tile, field, { ...source, colourSpace });
      const at = (part: number): number => share(0.85 + (0.15 * (k + part)) / settings.length);
      const file = await writeField(field, record, measured.texelSizes, nodeZlib, subProgress(control, at(0), at(1)));
      const { width, height } = field;
      const { match, reach, baseLevel } = record;
      const { rays } = measured;
      maps[k].push({
        tile,
        file,
        info: {
          width, height, bytes: file.length, match, reach, baseLevel, ...fieldCounts(field), rays, seconds, lowHash, sculptHash,
          fit: kind === 'scalar' ? measured.fit : null,
        }, // prettier-ignore
      });
    }
  }
  return { kind: 'extract', maps };
}
