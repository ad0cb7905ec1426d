import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import type { Field, Raster } from '../raster/field';
import { INSIDE, MENDED, OUTSIDE } from '../raster/field';
import { traitsOf } from '../raster/map-kinds';
import type { MapRecord } from '../raster/map-record';
import { readExr } from './exr-read';
import type { ExrChannel } from './exr-write';
import { writeExr } from './exr-write';
import { attributesToRecord, recordToAttributes, recordToText, TEXEL_SIZES_ATTRIBUTE, texelSizesOf, writtenRecord } from './map-record';
import { readPng, writePng } from './png';
import { readTiff } from './tiff-read';
import { writeTiff } from './tiff-write';
import type { Zlib } from './zlib-port';

export type MapFormat = 'exr' | 'tif' | 'png';

/** Depths that a file format can hold here. */
export const LEGAL_DEPTHS: Readonly<Record<MapFormat, readonly string[]>> = {
  exr: ['half', 'float'],
  tif: ['8', '16', 'float'],
  png: ['8', '16'],
};

/** Format by the name's ending. @throws InvalidInputError BAD_OPTION */
export function mapFormatOf(name: string): MapFormat {
  const ending = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase();
  if (ending === 'exr' || ending === 'png') return ending;
  if (ending === 'tif' || ending === 'tiff') return 'tif';
  throw new InvalidInputError('BAD_OPTION', `'${name}' does not end in .exr, .tif or .png; name the map by its file type.`, {
    option: 'o',
  });
}

const fieldChannels = (channels: 1 | 3, kind: string): readonly string[] =>
  channels === 1 ? ['height'] : traitsOf(kind).quantity === 'colour' ? ['R', 'G', 'B'] : ['x', 'y', 'z'];

/** A field as float32 EXR with its coverage classes and record. */
export function writeField(
  field: Field,
  record: MapRecord,
  texelSizes: Float32Array,
  zlib: Zlib,
  control?: RunControl,
): Promise<Uint8Array> {
  const channels: ExrChannel[] = fieldChannels(field.channels, record.kind).map((name, k) => ({
    name,
    type: 'float',
    data: field.values,
    offset: k,
    stride: field.channels,
  }));
  channels.push({ name: 'coverage', type: 'float', data: field.coverage, offset: 0, stride: 1 });
  const attributes = { ...recordToAttributes(writtenRecord(record)), [TEXEL_SIZES_ATTRIBUTE]: texelSizes };
  return writeExr({ width: field.width, height: field.height, channels, attributes }, zlib, control);
}

export interface FieldFile {
  readonly field: Field;
  readonly record: Record<string, unknown>;
  readonly texelSizes: Float32Array | null;
}

/** Names of the channels that hold a field's values. @throws InvalidInputError NOT_THIS_FORMAT */
export function channelsOfField(all: readonly string[]): readonly string[] {
  const found = [['height'], ['Y'], ['x', 'y', 'z'], ['R', 'G', 'B']].find((set) => set.every((n) => all.includes(n)));
  if (!found)
    throw new InvalidInputError(
      'NOT_THIS_FORMAT',
      `this EXR is not a field: it has the channels ${all.join(', ')}, not height, x y z or R G B; choose a file that extract wrote.`,
    );
  return found;
}

/** Reads a field back. A file without coverage counts as covered everywhere. @throws InvalidInputError, UnsupportedError */
export async function readField(bytes: Uint8Array, zlib: Zlib): Promise<FieldFile> {
  let names: readonly string[] = [];
  const { width, height, channels, attributes } = await readExr(bytes, zlib, (all) => {
    const found = channelsOfField(all);
    names = found;
    return [...found, ...all.filter((n) => n === 'coverage')];
  });
  const count = names.length as 1 | 3;
  const values = interleaved(names, channels, width * height);
  requireFinite('field', { width, height, channels: count, values }, 'extract it again');
  const stored = channels.get('coverage');
  const coverage = stored ? new Uint8Array(stored) : new Uint8Array(width * height).fill(INSIDE);
  const strange = stored === undefined ? -1 : firstStrange(stored, coverage);
  if (strange >= 0)
    throw new InvalidInputError(
      'BAD_NUMBER',
      `this field's coverage is ${String(stored?.[strange])} at texel ${strange % width}, ${Math.floor(strange / width)}, which is no class from ${OUTSIDE} to ${MENDED}; extract it again.`,
    );
  return {
    field: { width, height, channels: count, values, coverage },
    record: attributesToRecord(attributes),
    texelSizes: texelSizesOf(attributes),
  };
}

/** Planes of a file, side by side in each texel. */
function interleaved(names: readonly string[], planes: ReadonlyMap<string, Float32Array>, texels: number): Float32Array {
  const all = names.map((name) => planes.get(name) ?? new Float32Array(texels));
  if (all.length === 1) return all[0];
  const out = new Float32Array(all.length * texels);
  for (const [k, plane] of all.entries()) for (let t = 0, i = k; t < texels; t++, i += all.length) out[i] = plane[t];
  return out;
}

/** The first texel that is of no class; -1 where there is none. @param coverage the same in whole numbers */
function firstStrange(stored: Float32Array, coverage: Uint8Array): number {
  for (let t = 0; t < stored.length; t++) if (stored[t] !== coverage[t] || coverage[t] > MENDED) return t;
  return -1;
}

/** @throws InvalidInputError BAD_NUMBER with the texel */
function requireFinite(what: string, { width, channels, values }: Raster, advice: string): void {
  let bad = 0;
  while (bad < values.length && Number.isFinite(values[bad])) bad++;
  if (bad === values.length) return;
  const texel = Math.floor(bad / channels);
  throw new InvalidInputError(
    'BAD_NUMBER',
    `this ${what} holds a value that is not finite at texel ${texel % width}, ${Math.floor(texel / width)}; ${advice}.`,
  );
}

/** Stored values ready for a file: codes, half bits or floats, interleaved. */
export interface StoredMap {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  readonly stored: Uint8Array | Uint16Array | Float32Array;
  readonly half: boolean;
}

/** Writes an encoded map with its record. @throws InvalidInputError BAD_OPTION when the format cannot hold the depth */
export function writeMap(map: StoredMap, record: MapRecord, format: MapFormat, zlib: Zlib, control?: RunControl): Promise<Uint8Array> {
  if (!LEGAL_DEPTHS[format].includes(record.written?.depth ?? ''))
    throw new InvalidInputError(
      'BAD_OPTION',
      `${format} cannot hold depth ${record.written?.depth ?? ''}; it takes ${LEGAL_DEPTHS[format].join(', ')}.`,
      { option: 'depth' },
    );
  const { width, height, channels, stored } = map;
  if (format === 'exr') {
    const names = channels === 1 ? ['Y'] : ['R', 'G', 'B'];
    const planes = names.map((name, k): ExrChannel => ({
      name,
      type: map.half ? 'half' : 'float',
      data: stored,
      offset: k,
      stride: channels,
    }));
    return writeExr({ width, height, channels: planes, attributes: recordToAttributes(writtenRecord(record)) }, zlib, control);
  }
  const description = recordToText(writtenRecord(record));
  if (format === 'tif') return writeTiff({ width, height, channels, data: stored, description }, zlib);
  return writePng({ width, height, channels, data: stored as Uint8Array | Uint16Array, description }, zlib);
}

export interface MapFile {
  readonly raster: Raster;
  readonly depth: 'half' | 'float' | '8' | '16';
  readonly format: MapFormat;
  /** What the file says of itself; empty for a file from elsewhere. */
  readonly record: Record<string, unknown>;
  /** Whether it is a measured field: values in scene units, or unit vectors, that are read as they are. */
  readonly isField: boolean;
}

/** Reads a map by its content, not its name. @throws InvalidInputError, UnsupportedError */
export async function readMap(bytes: Uint8Array, zlib: Zlib): Promise<MapFile> {
  if (bytes[0] === 0x76 && bytes[1] === 0x2f) return readExrMap(bytes, zlib);
  const isPng = bytes[0] === 137;
  const isTiff = (bytes[0] === 0x49 || bytes[0] === 0x4d) && bytes[0] === bytes[1];
  if (!isPng && !isTiff) throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not an EXR, TIFF or PNG file; choose a map.');
  const image = isPng ? await readPng(bytes, zlib) : await readTiff(bytes, zlib);
  requireFinite('map', image, 'write it again');
  return { raster: image, depth: image.depth, format: isPng ? 'png' : 'tif', record: recordOfText(image.description), isField: false };
}

async function readExrMap(bytes: Uint8Array, zlib: Zlib): Promise<MapFile> {
  let wanted: readonly string[] = [];
  const {
    width,
    height,
    channels: planes,
    types,
    attributes,
  } = await readExr(bytes, zlib, (all) => {
    const sets = [['R', 'G', 'B'], ['x', 'y', 'z'], ['Y'], ['height']];
    wanted = sets.find((names) => names.every((n) => all.includes(n))) ?? all.slice(0, 1);
    return wanted;
  });
  const record = attributesToRecord(attributes);
  const channels = wanted.length;
  const values = interleaved(wanted, planes, width * height);
  const raster = { width, height, channels, values };
  requireFinite('map', raster, 'write it again');
  return {
    raster,
    depth: types.get(wanted[0]) === 'half' ? 'half' : 'float',
    format: 'exr',
    record,
    isField: types.has('coverage') || ('kind' in record && !('depth' in record)),
  };
}

function recordOfText(text: string): Record<string, unknown> {
  try {
    const parsed: unknown = JSON.parse(text);
    return typeof parsed === 'object' && parsed !== null ? attributesToRecord(parsed as Record<string, unknown>) : {};
  } catch {
    return {}; // a description from elsewhere is not an error
  }
}
