import type { Field } from '../raster/field';
import type { MapRecord } from '../raster/map-record';
import type { EncodedMap, EncodingFigures } from './encode-field';
import { encodeField } from './encode-field';
import type { NormalFigures } from './encode-normals';
import { encodeNormals } from './encode-normals';
import type { Encoding, NormalConvention } from './encoding';

export const NORMAL_CONVENTION: NormalConvention = { green: 'up', keepBlue: true };

/** A field encoded by its kind, with the record that belongs into the file.
 *  @param record of the field
 *  @throws InvalidInputError BAD_OPTION */
export function encodeMap(
  field: Field,
  record: MapRecord,
  encoding: Encoding,
  texelSizes: Float32Array | null,
  convention: NormalConvention = NORMAL_CONVENTION,
): { readonly map: Omit<EncodedMap, 'figures'>; readonly figures: EncodingFigures | NormalFigures; readonly record: MapRecord } {
  const normal = record.kind === 'normal';
  const map = normal ? encodeNormals(field, encoding, convention) : encodeField(field, encoding, texelSizes);
  return {
    map,
    figures: map.figures,
    record: {
      ...record,
      depth: encoding.depth,
      midpoint: encoding.midpoint,
      scale: encoding.scale,
      axes: normal ? 'R=+U G=+V B=+N' : 'none',
      green: normal ? convention.green : 'none',
      keepBlue: normal ? (convention.keepBlue ? 'yes' : 'no') : null,
      clippedShare: map.figures.clippedShare,
    },
  };
}
