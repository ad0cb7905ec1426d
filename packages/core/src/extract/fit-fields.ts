import type { Field } from '../raster/field';
import type { MapKind } from '../raster/map-kinds';
import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import type { FitGain } from './bilinear-fit';
import { samplesOf } from './extract-options';
import { fitFieldInPlace } from './fit-tile';
import { sidesAlike } from './kinds/table';
import type { SeamReads } from './measure-seams';
import { measureSeams } from './measure-seams';
import type { SpanSurfaces } from './prepare-span';
import { seamsOfTile } from './seam-places';
import { shadeReadsInPlace } from './shade-colours';

/** Fits the fields of a tile along its seams, and all over where every sample was kept.
 *  @param fields padded, in the order of the span's measures; changed in place
 *  @param kept values of every sample, channels x (n W) x (n H), for the fields that are fitted all over; null for the others
 *  @returns what was gained by kind, and the rays cast @throws CancelledError */
export async function fitFields(
  span: SpanSurfaces,
  tile: number,
  fields: readonly Field[],
  kept: readonly (Float32Array | null)[],
  threads: Threads,
  control: RunControl,
): Promise<{ readonly gains: ReadonlyMap<MapKind, FitGain>; readonly rays: number }> {
  const gains = new Map<MapKind, FitGain>();
  const seams = await readSeams(span, tile, threads, subProgress(control, 0, 0.3));
  const n = samplesOf(span.options);
  for (const [i, measure] of span.measures.entries()) {
    control.onProgress?.(0.3 + (0.7 * i) / fields.length, 'fitting texels');
    const values = kept[i];
    if (seams.length === 0 && values === null) continue;
    const reads = seams.map(({ uvs, weights, places, values: all }) => ({ uvs, weights, places, values: all[i] }));
    const samples = values && { n, values };
    gains.set(measure.kind, fitFieldInPlace(fields[i], measure.kind, { seams: reads, samples, sidesAlike: sidesAlike(measure) }, control));
  }
  return { gains, rays: seams.reduce((sum, s) => sum + s.rays, 0) };
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
    const at = (kind: MapKind): number => o.maps.indexOf(kind);
    for (const { values } of out) shadeReadsInPlace(values[at('colour')], values[at(shade.by)], shade);
  }
  return out;
}
