import type { MapRecord, Raster, RunControl, Threads } from '@estampe/core';
import { encodeField, packMesh, proveScalar, readField, readMap, subProgress, unpackMesh, writeMap } from '@estampe/core';
import { parseMapRecord } from '@estampe/contracts';
import { nodeZlib } from '@estampe/node';
import type { JobInput, ProofResult } from './job-messages';
import { mapFileName } from './map-file-name';

/** Encodes the span's fields, writes the map files, reads them back and proves what was read. */
export async function runProof(input: Extract<JobInput, { kind: 'proof' }>, threads: Threads, control: RunControl): Promise<ProofResult> {
  const started = performance.now();
  const { settings, encoding } = input;
  const maps: ProofResult['maps'][number][] = [];
  const rasters = new Map<number, Raster>();
  const fields = new Map<number, Raster>();
  let missedShare: number | null = null;
  let clippedShare = 0;
  for (const [i, { tile, bytes }] of input.fields.entries()) {
    control.onProgress?.((0.2 * i) / input.fields.length, 'writing the map');
    const { field, record: raw, texelSizes } = await readField(bytes, nodeZlib);
    const encoded = encodeField(field, encoding, texelSizes);
    const record = {
      ...(parseMapRecord(raw).record as MapRecord),
      depth: encoding.depth, midpoint: encoding.midpoint, scale: encoding.scale, axes: 'none', green: 'none', clippedShare: encoded.figures.clippedShare,
    }; // prettier-ignore
    const file = await writeMap({ ...encoded, half: encoding.depth === 'half' }, record, encoding.fileType, nodeZlib);
    maps.push({ tile, name: mapFileName(input.assetName, settings, encoding, tile, input.fields.length), file });
    rasters.set(tile, (await readMap(file, nodeZlib)).raster);
    fields.set(tile, field);
    missedShare = Math.max(missedShare ?? 0, record.missedShare);
    clippedShare = Math.max(clippedShare, encoded.figures.clippedShare);
  }
  const { report, mesh, errors } = await proveScalar(
    { low: unpackMesh(input.low), sculpt: unpackMesh(input.sculpt), maps: rasters, fields },
    {
      subdivisions: input.subdivisions, base: settings.base, surface: { boundary: settings.boundary, uv: settings.uv }, tolerance: input.tolerance,
      midpoint: encoding.midpoint, scale: encoding.scale, missedShare, clippedShare,
    }, // prettier-ignore
    threads,
    subProgress(control, 0.2, 1),
  );
  return {
    kind: 'proof',
    maps,
    report,
    mesh: packMesh(mesh),
    errors: new Uint8Array(errors.buffer),
    seconds: (performance.now() - started) / 1000,
  };
}
