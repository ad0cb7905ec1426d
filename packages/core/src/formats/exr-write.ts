import { ByteWriter } from '../runtime/growable';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { concatBytes } from './bytes';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

/** One channel: float32 values or half bits, a value every `stride` from `offset`. */
export interface ExrChannel {
  readonly name: string;
  readonly type: 'half' | 'float';
  readonly data: Float32Array | Uint16Array | Uint8Array;
  readonly offset: number;
  readonly stride: number;
}

/** Text, a double, or a vector of floats. */
export type ExrAttribute = string | number | Float32Array;

export interface ExrImage {
  readonly width: number;
  readonly height: number;
  readonly channels: readonly ExrChannel[];
  readonly attributes: Readonly<Record<string, ExrAttribute>>;
}

export const EXR_MAGIC = 20000630;
export const ZIP_ROWS = 16;
const VERSION = 2;
const LONG_NAMES = 0x400;

/** Writes a single-part scanline OpenEXR with ZIP compression (the file layout of openexr.com, "OpenEXR File Layout").
 *  Channels are sorted by name as the format asks. */
export async function writeExr(image: ExrImage, zlib: Zlib, control?: RunControl): Promise<Uint8Array> {
  const channels = [...image.channels].sort((a, b) => (a.name < b.name ? -1 : 1));
  const header = writeHeader(image, channels);
  const blocks = Math.ceil(image.height / ZIP_ROWS);
  let done = 0;
  const chunks = await mapInOrder(blocks, async (i) => {
    throwIfAborted(control);
    const y0 = i * ZIP_ROWS;
    const raw = packRows(image, channels, y0, Math.min(image.height, y0 + ZIP_ROWS));
    const packed = await zlib.deflate(toDifferences(raw));
    const data = packed.length < raw.length ? packed : raw;
    const head = new DataView(new ArrayBuffer(8));
    head.setInt32(0, y0, true);
    head.setInt32(4, data.length, true);
    control?.onProgress?.(++done / blocks, 'writing');
    return [new Uint8Array(head.buffer), data] as const;
  });
  const table = new DataView(new ArrayBuffer(8 * blocks));
  let at = header.length + 8 * blocks;
  chunks.forEach(([head, data], i) => {
    table.setBigUint64(8 * i, BigInt(at), true);
    at += head.length + data.length;
  });
  return concatBytes([header, new Uint8Array(table.buffer), ...chunks.flat()]);
}

function writeHeader({ width, height, attributes }: ExrImage, channels: readonly ExrChannel[]): Uint8Array {
  const out = new ByteWriter();
  const int = (n: number): void => {
    for (let k = 0; k < 4; k++) out.byte((n >> (8 * k)) & 255);
  };
  const floats = (...values: number[]): void => out.bytes(new Uint8Array(Float32Array.from(values).buffer));
  const name = (s: string): void => {
    out.text(s);
    out.byte(0);
  };
  const attribute = (key: string, type: string, size: number): void => {
    name(key);
    name(type);
    int(size);
  };
  const longNames = [...Object.keys(attributes), ...channels.map((c) => c.name)].some((s) => s.length > 31);
  int(EXR_MAGIC);
  int(VERSION | (longNames ? LONG_NAMES : 0));
  attribute(
    'channels',
    'chlist',
    channels.reduce((n, c) => n + c.name.length + 17, 1),
  );
  for (const c of channels) {
    name(c.name);
    int(c.type === 'half' ? 1 : 2);
    int(0); // pLinear and reserved
    int(1);
    int(1);
  }
  out.byte(0);
  attribute('compression', 'compression', 1);
  out.byte(3);
  for (const window of ['dataWindow', 'displayWindow']) {
    attribute(window, 'box2i', 16);
    int(0);
    int(0);
    int(width - 1);
    int(height - 1);
  }
  attribute('lineOrder', 'lineOrder', 1);
  out.byte(0);
  attribute('pixelAspectRatio', 'float', 4);
  floats(1);
  attribute('screenWindowCenter', 'v2f', 8);
  floats(0, 0);
  attribute('screenWindowWidth', 'float', 4);
  floats(1);
  for (const [key, value] of Object.entries(attributes)) {
    if (typeof value === 'string') {
      const text = new ByteWriter();
      text.text(value);
      attribute(key, 'string', text.length);
      out.bytes(text.finish());
    } else if (typeof value === 'number') {
      attribute(key, 'double', 8);
      out.bytes(new Uint8Array(Float64Array.of(value).buffer));
    } else {
      attribute(key, 'floatvector', 4 * value.length);
      out.bytes(new Uint8Array(value.buffer, value.byteOffset, value.byteLength));
    }
  }
  out.byte(0);
  return out.finish();
}

function packRows({ width }: ExrImage, channels: readonly ExrChannel[], y0: number, y1: number): Uint8Array {
  const rowBytes = channels.reduce((n, c) => n + width * (c.type === 'half' ? 2 : 4), 0);
  const raw = new Uint8Array(rowBytes * (y1 - y0));
  let at = 0;
  const row32 = new Float32Array(width);
  const row16 = new Uint16Array(width);
  for (let y = y0; y < y1; y++)
    for (const { type, data, offset, stride } of channels) {
      let row: Float32Array | Uint16Array = type === 'half' ? row16 : row32;
      let i = offset + y * width * stride;
      if (stride === 1 && data.constructor === row.constructor) row = (data as typeof row).subarray(i, i + width);
      else for (let x = 0; x < width; x++, i += stride) row[x] = data[i];
      raw.set(new Uint8Array(row.buffer, row.byteOffset, row.byteLength), at);
      at += row.byteLength;
    }
  return raw;
}

/** Splits even from odd bytes, then stores differences, plus 128 but for the first: what makes ZIP work on floats (ImfZip). */
function toDifferences(raw: Uint8Array): Uint8Array {
  const n = raw.length;
  const out = new Uint8Array(n);
  const half = n >> 1;
  let even = 128;
  let odd = raw[n - 2];
  for (let i = 0, o = 0; i < half; i++, o += 2) {
    out[i] = raw[o] - even + 128;
    even = raw[o];
    out[half + i] = raw[o + 1] - odd + 128;
    odd = raw[o + 1];
  }
  return out;
}
