import { fromHalf, halfTable } from '../raster/half';
import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { decodeUtf8 } from '../runtime/growable';
import { ByteReader, checkImageSize } from './bytes';
import type { ExrAttribute } from './exr-write';
import { EXR_MAGIC } from './exr-write';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

export interface ExrFile {
  readonly width: number;
  readonly height: number;
  /** Each channel as float32[W x H], rows from the top. */
  readonly channels: ReadonlyMap<string, Float32Array>;
  readonly types: ReadonlyMap<string, 'half' | 'float' | 'uint'>;
  readonly attributes: Readonly<Record<string, ExrAttribute>>;
}

interface Header {
  readonly width: number;
  readonly height: number;
  readonly top: number;
  readonly compression: number;
  readonly channels: readonly { readonly name: string; readonly type: number }[];
  readonly attributes: Record<string, ExrAttribute>;
}

const COMPRESSIONS = ['none', 'RLE', 'ZIPS', 'ZIP', 'PIZ', 'PXR24', 'B44', 'B44A', 'DWAA', 'DWAB'];
const TYPES = ['uint', 'half', 'float'] as const;

/** Reads a single-part scanline OpenEXR: none, RLE, ZIPS or ZIP, any channels.
 *  @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, TOO_LARGE; UnsupportedError for tiles, parts, deep data, other compressions */
export async function readExr(bytes: Uint8Array, zlib: Zlib): Promise<ExrFile> {
  const r = new ByteReader(bytes, 'EXR', true);
  if (bytes.length < 8 || r.i32() !== EXR_MAGIC)
    throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not an OpenEXR file; choose a map written as EXR.');
  const version = r.i32();
  if ((version & 0x200) !== 0 || (version & 0x1800) !== 0)
    throw new UnsupportedError('UNSUPPORTED', 'this EXR is tiled, deep or has several parts; write it as one flat scanline image.');
  const h = readHeader(r);
  if (h.compression > 3)
    throw new UnsupportedError(
      'UNSUPPORTED',
      `this EXR is compressed with ${COMPRESSIONS[h.compression] ?? 'an unknown method'}; write it with ZIP.`,
    );
  return readPixels(r, h, zlib);
}

function readHeader(r: ByteReader): Header {
  const attributes: Record<string, ExrAttribute> = {};
  let window: [number, number, number, number] | null = null;
  let compression = -1;
  let channels: { name: string; type: number }[] = [];
  for (;;) {
    const name = r.cstring();
    if (name === '') break;
    const type = r.cstring();
    const size = r.i32();
    const end = r.at + size;
    if (name === 'channels') channels = readChannels(r);
    else if (name === 'dataWindow') window = [r.i32(), r.i32(), r.i32(), r.i32()];
    else if (name === 'compression') compression = r.u8();
    else if (type === 'string') attributes[name] = decodeUtf8(r.take(size));
    else if (type === 'double') attributes[name] = r.f64();
    else if (type === 'float') attributes[name] = r.f32();
    else if (type === 'int') attributes[name] = r.i32();
    else if (type === 'floatvector') attributes[name] = Float32Array.from({ length: size / 4 }, () => r.f32());
    r.at = end;
    r.take(0);
  }
  if (window === null || compression < 0 || channels.length === 0)
    throw new InvalidInputError('NOT_THIS_FORMAT', 'this EXR has no complete header; write the file again.');
  const width = window[2] - window[0] + 1;
  const height = window[3] - window[1] + 1;
  checkImageSize('EXR', width, height);
  return { width, height, top: window[1], compression, channels, attributes };
}

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
    out.push({ name, type });
  }
}

async function readPixels(r: ByteReader, h: Header, zlib: Zlib): Promise<ExrFile> {
  const rows = h.compression === 3 ? 16 : 1;
  const blocks = Math.ceil(h.height / rows);
  const rowBytes = h.channels.reduce((n, c) => n + h.width * (c.type === 1 ? 2 : 4), 0);
  const offsets = Array.from({ length: blocks }, () => r.u64());
  const channels = new Map(h.channels.map((c) => [c.name, new Float32Array(h.width * h.height)]));
  const halves = halfTable();
  await mapInOrder(blocks, async (i) => {
    const at = new ByteReader(r.bytes, 'EXR', true);
    at.at = offsets[i];
    const y0 = at.i32() - h.top;
    const count = Math.min(rows, h.height - y0);
    if (!(y0 >= 0 && count > 0))
      throw new InvalidInputError('NOT_THIS_FORMAT', 'this EXR has rows outside its window; write the file again.');
    const data = at.take(at.i32());
    const raw = await unpack(data, rowBytes * count, h.compression, zlib);
    unpackRows(raw, h, y0, count, channels, halves);
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
  if (compression === 0 || data.length === size) return data;
  const bytes = compression === 1 ? unpackRuns(data, size) : await zlib.inflate(data, size);
  if (bytes.length !== size) throw new InvalidInputError('TRUNCATED', 'this EXR has a damaged block; write or copy it again.');
  const summed = Uint8Array.from(bytes);
  for (let i = 1; i < size; i++) summed[i] = summed[i - 1] + summed[i] - 128;
  const out = new Uint8Array(size);
  const half = (size + 1) >> 1;
  for (let i = 0; i < size; i++) out[i] = summed[(i & 1) === 0 ? i >> 1 : half + (i >> 1)];
  return out;
}

function unpackRuns(data: Uint8Array, size: number): Uint8Array {
  const out = new Uint8Array(size);
  let at = 0;
  for (let i = 0; i < data.length;) {
    const n = (data[i++] << 24) >> 24;
    const count = n < 0 ? -n : n + 1;
    if (at + count > size || i + (n < 0 ? count : 1) > data.length)
      throw new InvalidInputError('TRUNCATED', 'this EXR has a damaged block; write or copy it again.');
    if (n < 0) {
      out.set(data.subarray(i, i + count), at);
      i += count;
    } else out.fill(data[i++], at, at + count);
    at += count;
  }
  return out.subarray(0, at);
}

function unpackRows(
  raw: Uint8Array,
  h: Header,
  y0: number,
  count: number,
  channels: ReadonlyMap<string, Float32Array>,
  halves: Float32Array,
): void {
  let at = 0;
  for (let y = y0; y < y0 + count; y++)
    for (const c of h.channels) {
      const size = h.width * (c.type === 1 ? 2 : 4);
      const copy = raw.slice(at, at + size);
      at += size;
      const row =
        c.type === 1
          ? fromHalf(new Uint16Array(copy.buffer), halves)
          : c.type === 2
            ? new Float32Array(copy.buffer)
            : Float32Array.from(new Uint32Array(copy.buffer));
      channels.get(c.name)?.set(row, y * h.width);
    }
}
