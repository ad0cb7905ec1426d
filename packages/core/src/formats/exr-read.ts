import { fromHalf } from '../raster/half';
import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { decodeUtf8 } from '../runtime/growable';
import { brokenHeader, ByteReader, checkFileHolds, checkImageSize } from './bytes';
import { fromDifferences } from './exr-differences';
import type { ExrAttribute } from './exr-write';
import { EXR_MAGIC, ZIP_ROWS } from './exr-write';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

export interface ExrFile {
  readonly width: number;
  readonly height: number;
  /** Each channel that was asked for as float32[W x H], rows from the top. */
  readonly channels: ReadonlyMap<string, Float32Array>;
  /** Of all channels of the file. */
  readonly types: ReadonlyMap<string, 'half' | 'float' | 'uint'>;
  readonly attributes: Readonly<Record<string, ExrAttribute>>;
}

/** Left, top, right, bottom, all inside. */
type Window = [number, number, number, number];

export interface ExrHead {
  readonly width: number;
  readonly height: number;
  readonly top: number;
  readonly compression: number;
  readonly channels: readonly { readonly name: string; readonly type: number }[];
  readonly attributes: Record<string, ExrAttribute>;
}

const COMPRESSIONS = ['none', 'RLE', 'ZIPS', 'ZIP', 'PIZ', 'PXR24', 'B44', 'B44A', 'DWAA', 'DWAB'];
const VERSION_MASK = 0xff;
const LONG_NAMES = 0x400;
const TYPES = ['uint', 'half', 'float'] as const;

/** Reads a single-part scanline OpenEXR: none, RLE, ZIPS or ZIP, any channels, the whole display window.
 *  @param wanted which of the file's channels are read; the others cost no memory
 *  @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, TOO_LARGE; UnsupportedError for tiles, parts, deep data, other compressions and a
 *  data window that is not the display window */
export async function readExr(
  bytes: Uint8Array,
  zlib: Zlib,
  wanted: (names: readonly string[]) => readonly string[] = (names) => names,
): Promise<ExrFile> {
  const r = new ByteReader(bytes, 'EXR', true);
  const h = readExrHead(r);
  return readPixels(r, h, zlib, wanted(h.channels.map((c) => c.name)));
}

/** Reads up to the table of blocks. */
export function readExrHead(r: ByteReader): ExrHead {
  if (r.bytes.length < 8 || r.i32() !== EXR_MAGIC)
    throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not an OpenEXR file; choose a map written as EXR.');
  const version = r.i32();
  if ((version & VERSION_MASK) !== 2)
    throw new UnsupportedError('UNSUPPORTED', `this EXR is of version ${version & VERSION_MASK}; write it as version 2.`);
  if ((version & ~(VERSION_MASK | LONG_NAMES)) !== 0)
    throw new UnsupportedError('UNSUPPORTED', 'this EXR is tiled, deep or has several parts; write it as one flat scanline image.');
  const h = readHeader(r);
  if (h.compression > 3)
    throw new UnsupportedError(
      'UNSUPPORTED',
      `this EXR is compressed with ${COMPRESSIONS[h.compression] ?? 'an unknown method'}; write it with ZIP.`,
    );
  return h;
}

function readHeader(r: ByteReader): ExrHead {
  // no prototype: a file may name an attribute as it likes
  const attributes = Object.create(null) as Record<string, ExrAttribute>;
  let window: Window | null = null;
  let display: Window | null = null;
  let compression = -1;
  let channels: { name: string; type: number }[] = [];
  for (;;) {
    const name = r.cstring();
    if (name === '') break;
    const type = r.cstring();
    const size = r.i32();
    if (size < 0) brokenHeader('EXR');
    // an attribute is read from its own bytes alone
    const own = new ByteReader(r.take(size), 'EXR', true);
    if (name === 'channels') channels = readChannels(own);
    else if (name === 'dataWindow') window = readWindow(own);
    else if (name === 'displayWindow') display = readWindow(own);
    else if (name === 'compression') compression = own.u8();
    else if (type === 'string') attributes[name] = decodeUtf8(own.bytes);
    else if (type === 'double') attributes[name] = own.f64();
    else if (type === 'float') attributes[name] = own.f32();
    else if (type === 'int') attributes[name] = own.i32();
    else if (type === 'floatvector') attributes[name] = Float32Array.from({ length: size >> 2 }, () => own.f32());
  }
  if (window === null || compression < 0 || channels.length === 0)
    throw new InvalidInputError('NOT_THIS_FORMAT', 'this EXR has no complete header; write the file again.');
  const width = window[2] - window[0] + 1;
  const height = window[3] - window[1] + 1;
  checkImageSize('EXR', width, height);
  if (display !== null && String(display) !== String(window))
    throw new UnsupportedError(
      'UNSUPPORTED',
      `this EXR holds the texels ${window.join(' ')} of a picture that is ${display.join(' ')} (left, top, right, bottom), not one whole tile; write it uncropped and without overscan.`,
    );
  return { width, height, top: window[1], compression, channels, attributes };
}

const readWindow = (r: ByteReader): Window => [r.i32(), r.i32(), r.i32(), r.i32()];

function readChannels(r: ByteReader): { name: string; type: number }[] {
  const out: { name: string; type: number }[] = [];
  for (;;) {
    const name = r.cstring();
    if (name === '') return out;
    const type = r.i32();
    r.take(4);
    if (r.i32() !== 1 || r.i32() !== 1)
      throw new UnsupportedError('UNSUPPORTED', `channel ${name} of this EXR is subsampled; write all channels at full size.`);
    if (!(type >= 0 && type < 3))
      throw new InvalidInputError('NOT_THIS_FORMAT', `channel ${name} of this EXR has no known type; write the file again.`);
    if (out.some((c) => c.name === name))
      throw new InvalidInputError('NOT_THIS_FORMAT', `this EXR has two channels named ${name}; write the file again.`);
    out.push({ name, type });
  }
}

/** Rows that are compressed together. */
export const rowsOfBlock = ({ compression }: ExrHead): number => (compression === 3 ? ZIP_ROWS : 1);
/** Bytes of a row of all channels. */
const rowBytesOf = (h: ExrHead): number => h.channels.reduce((n, c) => n + h.width * bytesOf(c), 0);

/** Reads a block, from behind its row number, into the planes that are given for its channels. @param y0 its first row @param top row that planes begin with */
export async function readExrBlock(
  r: ByteReader,
  h: ExrHead,
  y0: number,
  rows: number,
  zlib: Zlib,
  planeOf: (name: string) => Float32Array | undefined,
  top = 0,
): Promise<void> {
  const count = Math.min(rows, h.height - y0);
  const raw = await unpack(r.take(r.i32()), rowBytesOf(h) * count, h.compression, zlib);
  unpackRows(raw, h, y0 - top, count, planeOf);
}

const bytesOf = ({ type }: { readonly type: number }): number => (TYPES[type] === 'half' ? 2 : 4);

async function readPixels(r: ByteReader, h: ExrHead, zlib: Zlib, wanted: readonly string[]): Promise<ExrFile> {
  const rows = rowsOfBlock(h);
  const blocks = Math.ceil(h.height / rows);
  checkFileHolds('EXR', rowBytesOf(h) * h.height, r.bytes.length);
  const offsets = Array.from({ length: blocks }, () => r.u64());
  const channels = new Map(wanted.map((name) => [name, new Float32Array(h.width * h.height)]));
  const seen = new Uint8Array(blocks);
  await mapInOrder(blocks, async (i) => {
    const at = new ByteReader(r.bytes, 'EXR', true);
    at.at = offsets[i];
    const y0 = at.i32() - h.top;
    const block = y0 / rows;
    // as many blocks as there are, each once: then all rows are there
    if (!(y0 >= 0 && y0 < h.height && Number.isInteger(block)) || seen[block] > 0)
      throw new InvalidInputError('NOT_THIS_FORMAT', 'this EXR has rows twice or outside its window; write the file again.');
    seen[block] = 1;
    await readExrBlock(at, h, y0, rows, zlib, (name) => channels.get(name));
  });
  return {
    width: h.width,
    height: h.height,
    channels,
    types: new Map(h.channels.map((c) => [c.name, TYPES[c.type]])),
    attributes: h.attributes,
  };
}

async function unpack(data: Uint8Array, size: number, compression: number, zlib: Zlib): Promise<Uint8Array> {
  // a block that would not shrink is stored as it is
  if (data.length === size) return data;
  if (compression === 0 || data.length > size) damagedBlock();
  const bytes = compression === 1 ? unpackRuns(data, size) : await zlib.inflate(data, size);
  if (bytes.length !== size) damagedBlock();
  return fromDifferences(bytes);
}

function damagedBlock(): never {
  throw new InvalidInputError('TRUNCATED', 'this EXR has a damaged block; write or copy it again.');
}

function unpackRuns(data: Uint8Array, size: number): Uint8Array {
  const out = new Uint8Array(size);
  let at = 0;
  for (let i = 0; i < data.length;) {
    const n = (data[i++] << 24) >> 24;
    const count = n < 0 ? -n : n + 1;
    if (at + count > size || i + (n < 0 ? count : 1) > data.length) damagedBlock();
    if (n < 0) {
      out.set(data.subarray(i, i + count), at);
      i += count;
    } else out.fill(data[i++], at, at + count);
    at += count;
  }
  return out.subarray(0, at);
}

function unpackRows(raw: Uint8Array, h: ExrHead, y0: number, count: number, planeOf: (name: string) => Float32Array | undefined): void {
  let at = 0;
  for (let y = y0; y < y0 + count; y++)
    for (const c of h.channels) {
      const size = h.width * bytesOf(c);
      const from = at;
      at += size;
      const plane = planeOf(c.name);
      if (plane === undefined) continue;
      // a row behind one of halves may begin at an odd place
      const own = from % 4 === 0 && raw.byteOffset % 4 === 0 ? raw.subarray(from, at) : raw.slice(from, at);
      const place = [own.buffer, own.byteOffset, h.width] as const;
      const row =
        c.type === 1 ? fromHalf(new Uint16Array(...place)) : c.type === 2 ? new Float32Array(...place) : new Uint32Array(...place);
      plane.set(row, y * h.width);
    }
}
