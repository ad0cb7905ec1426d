import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { ByteWriter, decodeUtf8 } from '../runtime/growable';
import { brokenHeader, ByteReader, checkFileHolds, checkImageSize, concatBytes } from './bytes';
import type { IntegerOrFloatImage } from './tiff-read';
import type { Zlib } from './zlib-port';

export interface PngImage {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  readonly data: Uint8Array | Uint16Array; // interleaved, rows from the top
  /** Stored as a text chunk under the keyword `estampe`; left out when empty. Latin-1. */
  readonly description: string;
}

const SIGNATURE = [137, 80, 78, 71, 13, 10, 26, 10];

/** Writes an 8 or 16 bit PNG (ISO/IEC 15948) without gamma or colour tags: the values are raw data. */
export async function writePng({ width, height, channels, data, description }: PngImage, zlib: Zlib): Promise<Uint8Array> {
  const head = new ByteWriter();
  for (const n of [width, height]) for (let k = 3; k >= 0; k--) head.byte((n >>> (8 * k)) & 255);
  for (const b of [8 * data.BYTES_PER_ELEMENT, channels === 1 ? 0 : 2, 0, 0, 0]) head.byte(b);
  const text = new ByteWriter();
  text.text('estampe\0' + description);
  return concatBytes([
    Uint8Array.from(SIGNATURE),
    chunk('IHDR', head.finish()),
    ...(description === '' ? [] : [chunk('tEXt', text.finish())]),
    chunk('IDAT', await zlib.deflate(filterRows(data, width * channels, height, channels))),
    chunk('IEND', new Uint8Array(0)),
  ]);
}

/** Each row by filter Sub or Up, whichever leaves the smaller sum of differences. */
function filterRows(data: Uint8Array | Uint16Array, row: number, height: number, channels: number): Uint8Array {
  const size = data.BYTES_PER_ELEMENT;
  const bytes = row * size;
  const out = new Uint8Array((bytes + 1) * height);
  let current = new Uint8Array(bytes);
  let above = new Uint8Array(bytes);
  const sub = new Uint8Array(bytes);
  const up = new Uint8Array(bytes);
  for (let y = 0; y < height; y++) {
    for (let i = 0; i < row; i++) {
      const q = data[y * row + i];
      if (size === 1) current[i] = q;
      else {
        current[2 * i] = q >> 8;
        current[2 * i + 1] = q & 255;
      }
    }
    let sumSub = 0;
    let sumUp = 0;
    for (let i = 0; i < bytes; i++) {
      sub[i] = current[i] - (i >= size * channels ? current[i - size * channels] : 0);
      up[i] = current[i] - above[i];
      sumSub += sub[i] < 128 ? sub[i] : 256 - sub[i];
      sumUp += up[i] < 128 ? up[i] : 256 - up[i];
    }
    const o = y * (bytes + 1);
    out[o] = sumSub <= sumUp ? 1 : 2;
    out.set(sumSub <= sumUp ? sub : up, o + 1);
    [current, above] = [above, current];
  }
  return out;
}

function chunk(type: string, data: Uint8Array): Uint8Array {
  const out = new Uint8Array(12 + data.length);
  const view = new DataView(out.buffer);
  view.setUint32(0, data.length);
  for (let k = 0; k < 4; k++) out[4 + k] = type.charCodeAt(k);
  out.set(data, 8);
  view.setUint32(8 + data.length, crc32(out.subarray(4, 8 + data.length)));
  return out;
}

const CRC_TABLE = Uint32Array.from({ length: 256 }, (_, n) => {
  let c = n;
  for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
  return c;
});

/** ISO 3309, as in PNG's annex D. */
function crc32(bytes: Uint8Array): number {
  let c = 0xffffffff;
  for (let i = 0; i < bytes.length; i++) c = CRC_TABLE[(c ^ bytes[i]) & 255] ^ (c >>> 8);
  return (c ^ 0xffffffff) >>> 0;
}

/** Reads a PNG of 8 or 16 bit grey or colour, with or without alpha, not interlaced. Values come back as 0..1.
 *  @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, TOO_LARGE; UnsupportedError */
export async function readPng(bytes: Uint8Array, zlib: Zlib): Promise<IntegerOrFloatImage> {
  if (bytes.length < 33 || SIGNATURE.some((b, i) => bytes[i] !== b))
    throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not a PNG file; choose a map written as PNG.');
  const r = new ByteReader(bytes, 'PNG', false);
  r.at = SIGNATURE.length;
  const head = readChunk(r);
  if (head.type !== 'IHDR' || head.data.length !== 13) brokenHeader('PNG');
  const h = new ByteReader(head.data, 'PNG', false);
  const [width, height, bits] = [h.u32(), h.u32(), h.u8()];
  checkImageSize('PNG', width, height);
  const channels = ({ 0: 1, 2: 3, 4: 2, 6: 4 } as Record<number, number | undefined>)[h.u8()];
  if (h.u8() !== 0 || h.u8() !== 0) brokenHeader('PNG');
  if (channels === undefined || (bits !== 8 && bits !== 16) || h.u8() !== 0)
    throw new UnsupportedError('UNSUPPORTED', 'this PNG is indexed, interlaced or not of 8 or 16 bit; write a plain grey or RGB PNG.');
  checkFileHolds('PNG', (width * channels * bits * height) / 8, bytes.length);
  const parts: Uint8Array[] = [];
  let description = '';
  for (;;) {
    const { type, data } = readChunk(r);
    if (type === 'IDAT') parts.push(data);
    if (type === 'tEXt' && decodeUtf8(data, 0, 8) === 'estampe\0') description = decodeUtf8(data, 8);
    if (type === 'IEND') break;
  }
  const row = width * channels;
  const size = bits / 8;
  const raw = await zlib.inflate(concatBytes(parts), (row * size + 1) * height);
  if (raw.length !== (row * size + 1) * height)
    throw new InvalidInputError('TRUNCATED', 'this PNG does not hold all its rows; write or copy it again.');
  return { width, height, channels, values: unfilterRows(raw, row, height, size, channels), depth: bits === 8 ? '8' : '16', description };
}

function readChunk(r: ByteReader): { readonly type: string; readonly data: Uint8Array } {
  const length = r.u32();
  const start = r.at;
  const type = String.fromCharCode(...r.take(4));
  const data = r.take(length);
  if (r.u32() !== crc32(r.bytes.subarray(start, start + 4 + length)))
    throw new InvalidInputError(
      'TRUNCATED',
      `this PNG is damaged (its ${/^[A-Za-z]{4}$/.test(type) ? type : 'next'} block); write or copy it again.`,
    );
  return { type, data };
}

function unfilterRows(raw: Uint8Array, row: number, height: number, size: number, channels: number): Float32Array {
  const bytes = row * size;
  const values = new Float32Array(row * height);
  const top = size === 1 ? 255 : 65535;
  let above = new Uint8Array(bytes);
  let line = new Uint8Array(bytes);
  const left = size * channels;
  for (let y = 0; y < height; y++) {
    const o = y * (bytes + 1);
    const filter = raw[o];
    if (filter > 4)
      throw new InvalidInputError('TRUNCATED', `this PNG is damaged (row ${y} has filter ${filter}); write or copy it again.`);
    for (let i = 0; i < bytes; i++) {
      const a = i >= left ? line[i - left] : 0;
      const b = above[i];
      const c = i >= left ? above[i - left] : 0;
      const predicted = filter === 0 ? 0 : filter === 1 ? a : filter === 2 ? b : filter === 3 ? (a + b) >> 1 : paeth(a, b, c);
      line[i] = raw[o + 1 + i] + predicted;
    }
    for (let i = 0; i < row; i++) values[y * row + i] = (size === 1 ? line[i] : (line[2 * i] << 8) | line[2 * i + 1]) / top;
    [line, above] = [above, line];
  }
  return values;
}

function paeth(a: number, b: number, c: number): number {
  const p = a + b - c;
  const pa = Math.abs(p - a);
  const pb = Math.abs(p - b);
  const pc = Math.abs(p - c);
  return pa <= pb && pa <= pc ? a : pb <= pc ? b : c;
}
