import type { MapRecord, RunControl, Threads } from '@estampe/core';
import { extractScalarTile, fieldCounts, prepareScalar, subProgress, unpackMesh, writeField } from '@estampe/core';
import { meshHash, nodeZlib } from '@estampe/node';
import type { ExtractResult, JobInput } from './job-messages';

/** Measures every tile of a span. */
export async function runExtract(
  { low: lowBytes, sculpt, settings: s, unit }: Extract<JobInput, { kind: 'extract' }>,
  threads: Threads,
  control: RunControl,
): Promise<ExtractResult> {
  const low = unpackMesh(lowBytes);
  const surface = { boundary: s.boundary, uv: s.uv };
  const span = prepareScalar(
    low,
    unpackMesh(sculpt),
    {
      width: s.size, height: s.size, base: s.base, match: s.match, reach: s.reach ?? 'auto', samples: s.samples,
      padding: s.padding < 0 ? Infinity : s.padding, surface,
    }, // prettier-ignore
    threads,
    subProgress(control, 0, 0.35),
  );
  const lowHash = meshHash(low);
  const fields: ExtractResult['fields'][number][] = [];
  for (const [i, tile] of span.tiles.entries()) {
    const started = performance.now();
    const share = (k: number): number => 0.35 + (0.65 * (i + k)) / span.tiles.length;
    const { field, rays, texelSizes } = await extractScalarTile(span, tile, threads, subProgress(control, share(0), share(0.85)));
    const counts = fieldCounts(field);
    const record: MapRecord = {
      kind: s.kind, frame: 'none', base: s.base, baseLevel: span.base.level, ...surface, tile, unit, filter: 'bilinear', lowHash,
      match: span.match, reach: span.reach, samples: s.samples, padding: s.padding, covered: counts.covered, missed: counts.missed, doubtful: counts.doubtful,
      missedShare: counts.covered + counts.missed === 0 ? 0 : counts.missed / (counts.covered + counts.missed),
      depth: null, midpoint: null, scale: null, axes: null, green: null, clippedShare: null,
    }; // prettier-ignore
    const file = await writeField(field, record, texelSizes, nodeZlib, subProgress(control, share(0.85), share(1)));
    const { match, reach, baseLevel } = record;
    fields.push({
      tile,
      file,
      info: {
        width: s.size,
        height: s.size,
        bytes: file.length,
        match,
        reach,
        baseLevel,
        ...counts,
        rays,
        seconds: (performance.now() - started) / 1000,
      },
    });
  }
  return { kind: 'extract', fields };
}
