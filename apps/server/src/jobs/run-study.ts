import type { Field, PolyMesh, RunControl, SpanSurfaces, Threads } from '@estampe/core';
import { encodingOf, errorParts, extractTile, faceCount, hasAxes, kneeOf, meshWithin, prepareSpan, readMap, recordedRange, refinedFaceCount, stackBounds, stackLevel, subProgress, SWEEP_FACES, sweepSubdivisions, TilesByNeed } from '@estampe/core'; // prettier-ignore
import { nodeZlib } from '@estampe/node';
import type { JobInput, ReadTile, StudyResult } from './job-messages';
import { spanOptions } from './job-messages';

type StudyInput = Extract<JobInput, { kind: 'study' }>;

/** Sweep of a free sculpt, where no level says what would be enough. */
const FREE_SWEEP = 4;

/** Looks closer at a proof: where its error comes from, and what fewer or more subdivisions would do. */
export async function runStudy(input: StudyInput, readTile: ReadTile, threads: Threads, control: RunControl): Promise<StudyResult> {
  const started = performance.now();
  const { settings: s, encoding, outcome } = input;
  const { report } = outcome;
  const low = meshWithin(input.low);
  const sculpt = meshWithin(input.sculpt);
  const maps = new TilesByNeed(input.maps, async (file) => (await readMap(await readTile(file), nodeZlib)).raster);
  const surface = { boundary: s.boundary, uv: s.uv };
  const stack = stackLevel(low, sculpt, control);
  const bounds = stack === null ? null : await boundsOf(input, low, sculpt, threads, subProgress(control, 0, 0.5));
  const levels = levelsToSweep(low, sculpt, stack?.levels ?? null, report.subdivisions);
  const own = encodingOf(encoding, s.vectorFrame);
  const vector = hasAxes(outcome.kind)
    ? { kind: outcome.kind, frame: s.vectorFrame, frameLevel: input.frameLevel, frameRule: input.frameRule, axes: own.convention.axes }
    : {};
  const swept = (at: readonly number[], from: number, to: number) =>
    sweepSubdivisions(
      { low, sculpt, maps },
      at,
      { ...recordedRange(own.encoding), ...vector, base: s.base, surface },
      threads,
      subProgress(control, from, to),
    );
  const sweep = await swept(levels, bounds ? 0.5 : 0, 0.75);
  // the last that was looked at may only be the best because nothing beyond it was
  const last = levels[levels.length - 1];
  if (kneeOf(sweep) === last && refinedFaceCount(low, last + 1) <= SWEEP_FACES.further) sweep.push(...(await swept([last + 1], 0.75, 1)));
  const ladder = {
    exactPoints: bounds?.exactPoints ?? null,
    samplingBound: bounds?.samplingBound ?? null,
    unencoded: report.unencoded?.rms ?? null,
    written: report.distance.rms,
  };
  return {
    kind: 'study',
    study: { ladder, parts: errorParts(ladder), sweep, knee: kneeOf(sweep), seconds: (performance.now() - started) / 1000 },
  };
}

/** Offsets of the same stack at the map's own size, then the two rungs that they give. */
async function boundsOf(input: StudyInput, low: PolyMesh, sculpt: PolyMesh, threads: Threads, control: RunControl) {
  const {
    settings: s,
    outcome: { report },
  } = input;
  const options = {
    ...spanOptions([s]),
    maps: ['vector'] as const,
    vectorFrame: 'object' as const,
    match: 'stack' as const,
    matchSeams: false,
    fitTexels: false,
  };
  let span: SpanSurfaces | null = prepareSpan(low, sculpt, options, threads, subProgress(control, 0, 0.3));
  const { tiles } = span;
  const measure = async ({ tile, place }: { readonly tile: number; readonly place: number }): Promise<Field> => {
    if (span === null) throw new Error('offsets were asked for twice');
    const at = (i: number): number => 0.37 + (0.2 * i) / tiles.length;
    const field = (await extractTile(span, tile, threads, subProgress(control, at(place), at(place + 1)))).fields.get('vector');
    if (place + 1 === tiles.length) span = null; // what comes next needs its memory
    if (field === undefined) throw new Error('a pass for vectors without them');
    return field;
  };
  const offsets = new TilesByNeed(
    tiles.map((tile, place) => ({ tile, place })),
    measure,
  );
  return stackBounds(
    { low, sculpt, offsets },
    { subdivisions: report.subdivisions, base: s.base, surface: { boundary: s.boundary, uv: s.uv }, filter: 'bilinear' },
    threads,
    subProgress(control, 0.3, 1),
  );
}

function levelsToSweep(low: PolyMesh, sculpt: PolyMesh, inStack: number | null, proven: number): number[] {
  const most = SWEEP_FACES.ofSculpt * faceCount(sculpt);
  const out: number[] = [];
  for (let r = 0; r <= Math.max(inStack ?? FREE_SWEEP, proven); r++) if (r <= proven || refinedFaceCount(low, r) <= most) out.push(r);
  return out;
}
