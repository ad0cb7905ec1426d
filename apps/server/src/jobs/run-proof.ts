import type { Field, RunControl, Threads } from '@estampe/core';
import { encodingOf, extremesOf, fieldRecordOf, hasAxes, meshWithin, orderChannels, packMesh, prepareSpan, readField, requireUsable, searchOf, subProgress, TilesByNeed } from '@estampe/core'; // prettier-ignore
import { parseMapRecord } from '@estampe/contracts';
import type { MadeMap } from '@estampe/delivery';
import { makeMap, mapFileName, proveMade, readMade } from '@estampe/delivery';
import { nodeZlib } from '@estampe/node';
import type { JobInput, ProofResult, ReadTile, TileFile } from './job-messages';
import { spanOptions } from './job-messages';

type ProofInput = Extract<JobInput, { kind: 'proof' }>;
/** Share of the progress that encoding and writing takes. */
const MAPS_MADE = 0.2;

/** Encodes the span's fields, writes the map files, reads them back and proves what was read. */
export async function runProof(input: ProofInput, readTile: ReadTile, threads: Threads, control: RunControl): Promise<ProofResult> {
  const started = performance.now();
  const { settings, encoding } = input;
  const { kind, fromLevel, toLevel } = settings;
  const made: MadeMap[] = [];
  const read = async (file: TileFile) => readField(await readTile(file), nodeZlib);
  const fields = new TilesByNeed(input.fields, async (file) => (await read(file)).field);
  const rasters = new TilesByNeed(made, readMade);
  const extremes: Field[] = [];
  const { encoding: core, convention } = encodingOf(encoding, hasAxes(kind) ? settings.vectorFrame : settings.frame);
  for (const [i, file] of input.fields.entries()) {
    const at = (part: number): number => (MAPS_MADE * (i + part)) / input.fields.length;
    control.onProgress?.(at(0), 'reading the field');
    fields.release();
    rasters.release();
    const { field, record, texelSizes } = await read(file);
    extremes.push(extremesOf(hasAxes(kind) ? orderChannels(field, convention.axes) : field));
    // a field of ours that came back from the database: no key that matters is missing
    const measured = { field, record: fieldRecordOf({ ...parseMapRecord(record).record, kind }), texelSizes };
    const { made: own, raster } = await makeMap(measured, core, convention, encoding.fileType, subProgress(control, at(0.2), at(1)));
    made.push(own);
    fields.hold(file.tile, field);
    rasters.hold(file.tile, raster);
  }
  requireUsable(extremes, core);
  const parts = { asset: input.assetName, kind, fromLevel, toLevel: input.free ? null : toLevel, ...encoding };
  const maps = made.map(({ tile, file, record, figures }) => ({
    tile,
    file,
    record,
    figures,
    name: mapFileName(parts, tile, made.length),
  }));
  const low = meshWithin(input.low);
  const sculpt = meshWithin(input.sculpt);
  const { boundary, uv, base } = settings;
  const { outcome, worst, mesh, errors } = await proveMade(
    { low, sculpt, made, maps: rasters, fields },
    {
      encoding: core,
      convention,
      base,
      surface: { boundary, uv },
      subdivisions: input.subdivisions,
      tolerance: input.tolerance,
      // where the map looked, by its own record
      span: () =>
        prepareSpan(low, sculpt, { ...spanOptions([settings]), matchSeams: false, fitTexels: false, ...searchOf(made[0].record) }, threads),
    },
    threads,
    subProgress(control, MAPS_MADE, 1),
  );
  return {
    kind: 'proof',
    maps,
    outcome,
    worst: [...worst],
    mesh: packMesh(mesh),
    errors: new Uint8Array(errors.slice().buffer),
    seconds: (performance.now() - started) / 1000,
  };
}
