import type {
  Encoding,
  EncodingFigures,
  Field,
  MapConvention,
  MapFormat,
  MapRecord,
  Raster,
  RunControl,
  WrittenRecord,
} from '@estampe/core';
import { encodeMap, readMap, recordToJson, subProgress, writeMap, writtenRecord } from '@estampe/core';
import { nodeZlib } from '@estampe/node';

/** Shares of making a map: encoding, writing, reading back. */
const READY_TO_WRITE = 0.3;
const WRITTEN = 0.75;

/** A map file as it was written. */
export interface MadeMap {
  readonly tile: number;
  readonly file: Uint8Array;
  readonly sidecar: Uint8Array;
  readonly record: WrittenRecord;
  readonly figures: EncodingFigures;
}

/** What is in a map's file. */
export const readMade = async ({ file }: Pick<MadeMap, 'file'>): Promise<Raster> => (await readMap(file, nodeZlib)).raster;

/** Encodes a field, writes the file with its record and reads it back: what is proven is the file, not the numbers that went into it.
 *  @throws InvalidInputError BAD_OPTION where the file type cannot hold the depth */
export async function makeMap(
  { field, record, texelSizes }: { readonly field: Field; readonly record: MapRecord; readonly texelSizes: Float32Array | null },
  encoding: Encoding,
  convention: Partial<MapConvention>,
  fileType: MapFormat,
  control?: RunControl,
): Promise<{ readonly made: MadeMap; readonly raster: Raster }> {
  control?.onProgress?.(0, 'encoding the map');
  const encoded = encodeMap(field, record, encoding, texelSizes, convention);
  control?.onProgress?.(READY_TO_WRITE, 'writing the map');
  const written = writtenRecord(encoded.record);
  const file = await writeMap(
    { ...encoded.map, half: encoding.depth === 'half' },
    encoded.record,
    fileType,
    nodeZlib,
    subProgress(control, READY_TO_WRITE, WRITTEN),
  );
  control?.onProgress?.(WRITTEN, 'reading the map back');
  const sidecar = new TextEncoder().encode(recordToJson(written));
  const made = { tile: record.tile, file, sidecar, record: written, figures: encoded.figures };
  return { made, raster: await readMade(made) };
}
