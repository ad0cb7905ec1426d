import { InvalidInputError } from '../runtime/errors';
import { decodeUtf8 } from '../runtime/growable';
import type { ByteWindow } from './byte-window';

export type PlyType = 'i8' | 'u8' | 'i16' | 'u16' | 'i32' | 'u32' | 'f32' | 'f64';
export const PLY_BYTES: Readonly<Record<PlyType, number>> = { i8: 1, u8: 1, i16: 2, u16: 2, i32: 4, u32: 4, f32: 4, f64: 8 };

/** The names of number types in PLY headers, old and new. */
const TYPES: Readonly<Record<string, PlyType>> = {
  char: 'i8', int8: 'i8', uchar: 'u8', uint8: 'u8', short: 'i16', int16: 'i16', ushort: 'u16', uint16: 'u16',
  int: 'i32', int32: 'i32', uint: 'u32', uint32: 'u32', float: 'f32', float32: 'f32', double: 'f64', float64: 'f64',
}; // prettier-ignore

export interface PlyProperty {
  readonly name: string;
  readonly type: PlyType;
  /** Type of the count, for a list. */
  readonly counted: PlyType | null;
}

export interface PlyElement {
  readonly name: string;
  readonly count: number;
  readonly properties: readonly PlyProperty[];
}

export interface PlyHeader {
  readonly encoding: 'text' | 'little-endian' | 'big-endian';
  readonly elements: readonly PlyElement[];
  readonly comments: readonly string[];
  /** First byte and line of what is described. */
  readonly bytes: number;
  readonly lines: number;
}

const ENCODINGS: Readonly<Record<string, PlyHeader['encoding']>> = {
  ascii: 'text',
  binary_little_endian: 'little-endian',
  binary_big_endian: 'big-endian',
};
const LONGEST_LINE = 65_536;
const MOST_PROPERTIES = 1000;

/** Reads the head of a PLY (the Stanford polygon format, 1994), which stays at hand. @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, BAD_NUMBER with the line */
export function readPlyHeader(file: ByteWindow): PlyHeader {
  const elements: { name: string; count: number; properties: PlyProperty[] }[] = [];
  const comments: string[] = [];
  let encoding: PlyHeader['encoding'] | null = null;
  let properties = 0;
  let at = 0;
  for (let line = 1; ; line++) {
    let { bytes } = file;
    let end = bytes.indexOf(10, at);
    while (end < 0 && bytes.length - at <= LONGEST_LINE && file.moveOn(0)) {
      ({ bytes } = file);
      end = bytes.indexOf(10, at);
    }
    if (end < 0 || end - at > LONGEST_LINE)
      throw new InvalidInputError('TRUNCATED', 'this PLY ends in its head; it was cut off, so write or copy it again.', { line });
    const text = decodeUtf8(bytes, at, end).trim();
    at = end + 1;
    const [word, ...rest] = text.split(/\s+/);
    const fail = (why: string): never => {
      throw new InvalidInputError('NOT_THIS_FORMAT', `${why} ('${text.slice(0, 80)}'); write the PLY again.`, { line });
    };
    if (line === 1) {
      if (word !== 'ply') fail('a PLY starts with the word ply');
    } else if (word === 'end_header') {
      if (encoding === null) return fail('the head of this PLY names no format');
      return { encoding, elements, comments, bytes: at, lines: line };
    } else if (word === 'comment' || word === 'obj_info') comments.push(text.slice(word.length + 1));
    else if (word === 'format') {
      encoding = Object.hasOwn(ENCODINGS, rest[0]) ? ENCODINGS[rest[0]] : fail('this kind of PLY is not known');
    } else if (word === 'element') {
      const count = /^\d{1,15}$/.test(rest[1] ?? '') ? Number(rest[1]) : fail('an element has no count');
      if (elements.some((e) => e.name === rest[0])) fail('an element comes twice');
      elements.push({ name: rest[0], count, properties: [] });
    } else if (word === 'property') {
      const list = rest[0] === 'list';
      const [counted, type, name] = (list ? rest.slice(1) : [null, ...rest]) as (string | null | undefined)[];
      const known = (t: string | null | undefined): PlyType =>
        typeof t === 'string' && Object.hasOwn(TYPES, t) ? TYPES[t] : fail('a property has a type that is not known');
      const element = elements.at(-1) ?? fail('a property stands before any element');
      if (typeof name !== 'string') return fail('a property has no name');
      if (element.properties.some((p) => p.name === name)) fail('a property comes twice');
      if (++properties > MOST_PROPERTIES) fail('there are more than 1000 properties');
      const countType = list ? known(counted) : null;
      if (countType === 'f32' || countType === 'f64') fail('a list is counted in fractions');
      element.properties.push({ name, type: known(type), counted: countType });
    } else if (text !== '') fail('this line of the head is not known');
  }
}

/** Names of the list that gives a face its points. */
export const PLY_INDICES: readonly string[] = ['vertex_indices', 'vertex_index'];
const LEAST_CORNERS = 3;

/** Points and faces that a head says. */
export const plyCounts = ({ elements }: PlyHeader): { readonly points: number; readonly faces: number } => {
  const count = (name: string): number => elements.find((e) => e.name === name)?.count ?? 0;
  return { points: count('vertex'), faces: count('face') };
};

/** Least bytes that all that a head says takes after it. */
export const leastBytesOf = ({ encoding, elements }: PlyHeader): number =>
  elements.reduce((sum, element) => sum + element.count * leastBytes(element, encoding === 'text'), 0);

/** Least bytes that one of an element takes. */
function leastBytes({ properties }: PlyElement, text: boolean): number {
  const of = (type: PlyType): number => (text ? 2 : PLY_BYTES[type]);
  const ofProperty = ({ name, type, counted }: PlyProperty): number =>
    counted === null ? of(type) : of(counted) + (PLY_INDICES.includes(name) ? LEAST_CORNERS * of(type) : 0);
  return properties.reduce((sum, p) => sum + ofProperty(p), 0);
}
