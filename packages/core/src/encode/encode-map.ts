import type { Field } from '../raster/field';
import { hasAxes, holdsDirections, restValue } from '../raster/map-kinds';
import type { MapRecord } from '../raster/map-record';
import { frameOf } from '../raster/map-record';
import { InvalidInputError } from '../runtime/errors';
import type { AxisOrder } from './axis-order';
import { axisLetters, formatAxes, orderChannels, PLAIN_ORDER } from './axis-order';
import type { EncodedMap, EncodingFigures } from './encode-field';
import { encodeField, fieldFigures } from './encode-field';
import type { NormalFigures } from './encode-normals';
import { encodeNormals } from './encode-normals';
import type { Encoding, NormalConvention } from './encoding';
import { recordedRange } from './encoding';

/** What a map's kind has beyond depth and range: normals a green and a blue of their own, vectors an axis order. */
export interface MapConvention extends NormalConvention {
  readonly axes: AxisOrder;
}
export const MAP_CONVENTION: MapConvention = { green: 'up', keepBlue: true, axes: PLAIN_ORDER };

/** A record that says how its values are written. */
type Written<R extends MapRecord> = R & { readonly written: NonNullable<R['written']> };

/** A field encoded by its kind, with the record that belongs into the file.
 *  @param record of the field
 *  @throws InvalidInputError BAD_OPTION */
export function encodeMap<R extends MapRecord>(
  field: Field,
  record: R,
  encoding: Encoding,
  texelSizes: Float32Array | null,
  convention: Partial<MapConvention> = {},
): { readonly map: Omit<EncodedMap, 'figures'>; readonly figures: EncodingFigures | NormalFigures; readonly record: Written<R> } {
  const normal = holdsDirections(record.kind);
  const vector = hasAxes(record.kind);
  const { green, keepBlue, axes } = { ...MAP_CONVENTION, ...convention };
  requireChannels(field, record, encoding);
  const map = normal
    ? encodeNormals(field, encoding, { green, keepBlue })
    : encodeField(vector ? orderChannels(field, axes) : field, encoding, texelSizes, restValue(record));
  return {
    map,
    figures: map.figures,
    record: {
      ...record,
      written: {
        depth: encoding.depth,
        ...recordedRange(encoding),
        clippedShare: map.figures.clippedShare,
        ...(normal ? { green, keepBlue } : {}),
        ...(vector ? { axes: formatAxes(axes, axisLetters(frameOf(record))) } : {}),
      },
    },
  };
}

/** What `encodeMap` would say, without the map. @throws InvalidInputError BAD_OPTION */
export function mapFigures(
  field: Field,
  record: MapRecord,
  encoding: Encoding,
  texelSizes: Float32Array | null,
  convention: Partial<MapConvention> = {},
): EncodingFigures | NormalFigures {
  if (holdsDirections(record.kind)) return encodeMap(field, record, encoding, texelSizes, convention).figures;
  requireChannels(field, record, encoding);
  const { axes = MAP_CONVENTION.axes } = convention;
  return fieldFigures(hasAxes(record.kind) ? orderChannels(field, axes) : field, encoding, texelSizes, restValue(record));
}

function requireChannels({ channels }: Field, { kind }: MapRecord, { each }: Encoding): void {
  if (hasAxes(kind) && channels !== 3)
    throw new InvalidInputError('BAD_OPTION', 'This field holds heights, not vectors; encode it as a scalar map.', { option: 'axes' });
  if (each && channels !== 3)
    throw new InvalidInputError('BAD_OPTION', 'This map has one channel, so it has one scale.', { option: 'scale' });
}
