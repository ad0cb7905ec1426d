import type { ExtractOptions, MapRecord, PolyMesh, RunControl, Threads } from '@estampe/core';
import { baseSurfaceAt, packMesh, prepareSpan, proveNormals, proveScalar, readField, subProgress, unpackMesh } from '@estampe/core';
import { fullMapRecord, parseMapRecord } from '@estampe/contracts';
import type { MadeMap } from '@estampe/delivery';
import { makeMap, mapFileName } from '@estampe/delivery';
import { nodeZlib } from '@estampe/node';
import type { JobInput, ProofResult } from './job-messages';
import { spanOptions } from './job-messages';

type ProofInput = Extract<JobInput, { kind: 'proof' }>;

/** Levels of the mesh on which the angles of a normal map are shown. */
const SHOWN_LEVELS = 4;

/** Encodes the span's fields, writes the map files, reads them back and proves what was read. */
export async function runProof(input: ProofInput, threads: Threads, control: RunControl): Promise<ProofResult> {
  const started = performance.now();
  const { settings, encoding } = input;
  const { kind, fromLevel, toLevel } = settings;
  const made: MadeMap[] = [];
  const fields = new Map<number, Awaited<ReturnType<typeof readField>>['field']>();
  for (const [i, { tile, bytes }] of input.fields.entries()) {
    control.onProgress?.((0.2 * i) / input.fields.length, 'writing the map');
    const { field, record, texelSizes } = await readField(bytes, nodeZlib);
    // a field of ours that came back from the database: no key that matters is missing
    const measured = { field, record: fullMapRecord(parseMapRecord(record).record) as MapRecord, texelSizes };
    made.push(await makeMap(measured, encoding, encoding, encoding.fileType, control));
    fields.set(tile, field);
  }
  const parts = { asset: input.assetName, kind, fromLevel, toLevel: input.free ? null : toLevel, ...encoding };
  const maps = made.map(({ tile, file, record, figures }) => ({
    tile,
    file,
    record,
    figures,
    name: mapFileName(parts, tile, made.length),
  }));
  const proven = await prove(input, made, fields, threads, subProgress(control, 0.2, 1));
  return { kind: 'proof', maps, ...proven, seconds: (performance.now() - started) / 1000 };
}

async function prove(
  { low: lowBytes, sculpt: sculptBytes, settings, encoding, subdivisions, tolerance }: ProofInput,
  made: readonly MadeMap[],
  fields: ReadonlyMap<number, MadeMap['raster']>,
  threads: Threads,
  control: RunControl,
): Promise<Pick<ProofResult, 'outcome' | 'worst' | 'mesh' | 'errors'>> {
  const low = unpackMesh(lowBytes);
  const sculpt = unpackMesh(sculptBytes);
  const maps = new Map(made.map((m) => [m.tile, m.raster]));
  const shared = {
    midpoint: encoding.midpoint,
    scale: encoding.scale,
    tolerance,
    missedShare: Math.max(...made.map((m) => m.record.missedShare)),
    clippedShare: Math.max(...made.map((m) => m.record.clippedShare ?? 0)),
  };
  if (settings.kind === 'normal') {
    const source = made[0].record.normalSource;
    const options: Partial<ExtractOptions> = {
      ...spanOptions([settings]),
      matchSeams: false,
      fitTexels: false,
      normalsForHeights: source === 'hit',
    };
    const span = prepareSpan(low, sculpt, options, threads, subProgress(control, 0, 0.5));
    const { green, keepBlue } = encoding;
    const { report, errors, worst } = proveNormals(span, maps, { ...shared, green, keepBlue }, subProgress(control, 0.5, 1));
    const level = Math.min(span.base.level, SHOWN_LEVELS);
    const { mesh } = baseSurfaceAt(low, settings.base, level, span.options.surface);
    return { outcome: { kind: 'normal', report }, worst: [...worst], ...shown(bare(mesh), errors) };
  }
  const { report, mesh, errors, worst } = await proveScalar(
    { low, sculpt, maps, fields },
    { ...shared, subdivisions, base: settings.base, surface: { boundary: settings.boundary, uv: settings.uv } },
    threads,
    control,
  );
  return { outcome: { kind: 'scalar', report }, worst: [...worst], ...shown(mesh, errors) };
}

const bare = (mesh: PolyMesh): PolyMesh => ({ ...mesh, uvs: null, faceUvs: null });

/** A mesh for the Stage; points of a lighter level are the first of a finer one. */
const shown = (mesh: PolyMesh, errors: Float32Array) => ({
  mesh: packMesh(mesh),
  errors: new Uint8Array(errors.slice(0, mesh.positions.length / 3).buffer),
});
