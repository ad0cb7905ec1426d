import { ByteWriter } from '../runtime/growable';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Kernel } from '../runtime/threads';
import { isSeenByAll } from '../runtime/threads';
import { concatBytes } from './bytes';
import { fromDifferences } from './exr-differences';
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
  const { width, height } = image;
  const channels = [...image.channels].sort((a, b) => (a.name < b.name ? -1 : 1));
  const header = writeHeader(image, channels);
  const rows: ExrRows = { width, height, channels };
  const blocks = Math.ceil(height / ZIP_ROWS);
  const packed =
    zlib.deflateMade !== undefined && channels.every(({ data }) => isSeenByAll(data))
      ? await zlib.deflateMade(exrBlock, rows, blocks, control)
      : await deflateHere(rows, blocks, zlib, control);
  const table = new DataView(new ArrayBuffer(8 * blocks));
  const parts = [header, new Uint8Array(table.buffer)];
  let at = header.length + 8 * blocks;
  for (let i = 0; i < blocks; i++) {
    const data = packed[i].length < bytesOfBlock(rows, i) ? packed[i] : fromDifferences(exrBlock.run(rows, i));
    const head = new DataView(new ArrayBuffer(8));
    head.setInt32(0, i * ZIP_ROWS, true);
    head.setInt32(4, data.length, true);
    table.setBigUint64(8 * i, BigInt(at), true);
    at += 8 + data.length;
    parts.push(new Uint8Array(head.buffer), data);
  }
  return concatBytes(parts);
}

/** The rows of an image as they are packed, in blocks of ZIP_ROWS. */
interface ExrRows extends Pick<ExrImage, 'width' | 'height'> {
  readonly channels: readonly ExrChannel[]; // sorted by name
}

/** What of a block is deflated; lent until the next one is made. */
export const exrBlock: Kernel<ExrRows, number, Uint8Array> = {
  name: 'exr-block',
  run(rows, block) {
    const bytes = bytesOfBlock(rows, block);
    // fresh memory for every block would cost more than what is written into it
    if (lent.length < bytes) lent = new Uint8Array(bytes);
    return differencesInto(lent.subarray(0, bytes), rows, block);
  },
};
let lent = new Uint8Array(0);

async function deflateHere(rows: ExrRows, blocks: number, zlib: Zlib, control: RunControl | undefined): Promise<Uint8Array[]> {
  const lane: Uint8Array[] = [];
  let done = 0;
  return mapInOrder(blocks, async (i, k) => {
    throwIfAborted(control);
    lane[k] ??= new Uint8Array(bytesOfBlock(rows, 0));
    const packed = await zlib.deflate(differencesInto(lane[k].subarray(0, bytesOfBlock(rows, i)), rows, i));
    control?.onProgress?.(++done / blocks, 'writing');
    return packed;
  });
}

const rowsOfBlock = ({ height }: ExrRows, block: number): number => Math.min(height - block * ZIP_ROWS, ZIP_ROWS);
const bytesOfBlock = (rows: ExrRows, block: number): number =>
  rowsOfBlock(rows, block) * rows.channels.reduce((n, c) => n + rows.width * (c.type === 'half' ? 2 : 4), 0);

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

/** A row of a channel as its bits: words of 16 or 32 bits, the first at `from`, a value every `stride`. */
interface RowBits {
  readonly words: Uint16Array | Int32Array;
  readonly from: number;
  readonly stride: number;
}

/** How one channel's rows are read as bits: in place, or turned into floats where the values are of another type. */
function bitsOf({ type, data, offset, stride }: ExrChannel, width: number): (y: number) => RowBits {
  if (type === 'half' && data instanceof Uint16Array) return (y) => ({ words: data, from: offset + y * width * stride, stride });
  if (type === 'float' && data instanceof Float32Array) {
    const words = new Int32Array(data.buffer, data.byteOffset, data.length);
    return (y) => ({ words, from: offset + y * width * stride, stride });
  }
  const row = type === 'half' ? new Uint16Array(width) : new Float32Array(width);
  const words = row instanceof Uint16Array ? row : new Int32Array(row.buffer);
  return (y) => {
    for (let x = 0, i = offset + y * width * stride; x < width; x++, i += stride) row[x] = data[i];
    return { words, from: 0, stride: 1 };
  };
}

/** The bytes of a block as ZIP stores them (ImfZip): even bytes before odd ones, and then of each the difference from the one before, plus 128
 *  but for the first: what makes it work on floats. */
function differencesInto(out: Uint8Array, rows: ExrRows, block: number): Uint8Array {
  const { width } = rows;
  const y0 = block * ZIP_ROWS;
  const y1 = y0 + rowsOfBlock(rows, block);
  const half = out.length >> 1;
  const bits = rows.channels.map((channel) => bitsOf(channel, width));
  const last = Uint8Array.of(128, 0);
  let at = 0;
  for (let y = y0; y < y1; y++)
    for (const rowAt of bits) {
      const row = rowAt(y);
      if (row.words instanceof Uint16Array) split16(row.words, row, width, out, at, last);
      else split32(row.words, row, width, out, at, last);
      at += (width * row.words.BYTES_PER_ELEMENT) >> 1;
    }
  // the first of the odd ones follows the last of the even ones
  out[half] -= last[0];
  return out;
}

/** Differences of a row of words of 16 bits. @param at where its even bytes come, half of `out` before its odd ones  @param last the even and the odd byte
 *  before, and then its own last ones */
function split16(words: Uint16Array, { from, stride }: RowBits, width: number, out: Uint8Array, at: number, last: Uint8Array): void {
  const half = out.length >> 1;
  let even = last[0];
  let odd = last[1];
  for (let x = 0, i = from; x < width; x++, i += stride) {
    const word = words[i];
    const high = word >>> 8;
    out[at + x] = (word & 255) - even + 128;
    out[half + at + x] = high - odd + 128;
    even = word & 255;
    odd = high;
  }
  last[0] = even;
  last[1] = odd;
}

/** The same of words of 32 bits: bytes, as differences of whole words would not stay small integers. */
function split32(words: Int32Array, { from, stride }: RowBits, width: number, out: Uint8Array, at: number, last: Uint8Array): void {
  const half = out.length >> 1;
  let even = last[0];
  let odd = last[1];
  for (let x = 0, i = from, o = at; x < width; x++, i += stride, o += 2) {
    const word = words[i];
    const second = (word >>> 8) & 255;
    const third = (word >>> 16) & 255;
    const fourth = word >>> 24;
    out[o] = (word & 255) - even + 128;
    out[o + 1] = third - (word & 255) + 128;
    out[half + o] = second - odd + 128;
    out[half + o + 1] = fourth - second + 128;
    even = third;
    odd = fourth;
  }
  last[0] = even;
  last[1] = odd;
}
