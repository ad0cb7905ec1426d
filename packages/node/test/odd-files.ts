import * as zlib from 'node:zlib';

// in Node since 20.15; its types came later
const { crc32 } = zlib as unknown as { crc32: (data: Uint8Array) => number };

/** Bytes of a little-endian EXR of one float channel, a row a block, by the file layout of openexr.com.
 *  @param change of the header's fields and of the rows that are written */
export function rowsExr(
  width: number,
  height: number,
  values: Float32Array,
  compression: 'none' | 'RLE',
  change: {
    readonly window?: readonly number[];
    readonly display?: readonly number[];
    readonly rows?: readonly number[];
    readonly extra?: Buffer;
    readonly short?: number;
  } = {},
): Uint8Array {
  const int = (...numbers: readonly number[]): Buffer => Buffer.from(Int32Array.from(numbers).buffer);
  const attribute = (name: string, type: string, data: Buffer): Buffer =>
    Buffer.concat([Buffer.from(`${name}\0${type}\0`), int(data.length), data]);
  const window = change.window ?? [0, 0, width - 1, height - 1];
  const header = Buffer.concat([
    int(20000630, 2),
    attribute('channels', 'chlist', Buffer.concat([Buffer.from('Y\0'), int(2, 0, 1, 1), Buffer.of(0)])),
    attribute('compression', 'compression', Buffer.of(compression === 'RLE' ? 1 : 0)),
    attribute('dataWindow', 'box2i', int(...window)),
    attribute('displayWindow', 'box2i', int(...(change.display ?? window))),
    attribute('lineOrder', 'lineOrder', Buffer.of(0)),
    attribute('pixelAspectRatio', 'float', Buffer.from(Float32Array.of(1).buffer)),
    attribute('screenWindowCenter', 'v2f', int(0, 0)),
    attribute('screenWindowWidth', 'float', Buffer.from(Float32Array.of(1).buffer)),
    ...(change.extra === undefined ? [] : [change.extra]),
    Buffer.of(0),
  ]); // prettier-ignore
  const rows = change.rows ?? Array.from({ length: height }, (_, y) => y);
  const blocks = rows.map((y) => {
    const raw = Buffer.from(values.slice(y * width, (y + 1) * width).buffer);
    const data = packed(raw, compression).subarray(0, raw.length - (change.short ?? 0));
    return Buffer.concat([int(window[1] + y, data.length), data]);
  });
  let at = header.length + 8 * blocks.length;
  const table = Buffer.concat(
    blocks.map((block) => {
      const offset = Buffer.alloc(8);
      offset.writeBigUInt64LE(BigInt(at));
      at += block.length;
      return offset;
    }),
  );
  return new Uint8Array(Buffer.concat([header, table, ...blocks]));
}

/** A row that does not shrink is stored as it is. */
function packed(raw: Buffer, compression: 'none' | 'RLE'): Buffer {
  const shorter = compression === 'RLE' ? runs(predicted(raw)) : raw;
  return shorter.length < raw.length ? shorter : raw;
}

/** Even bytes before odd ones, then differences (ImfRle). */
function predicted(raw: Buffer): Buffer {
  const out = Buffer.concat([raw.filter((_, i) => i % 2 === 0), raw.filter((_, i) => i % 2 === 1)]);
  for (let i = out.length - 1; i > 0; i--) out[i] = out[i] - out[i - 1] + 128;
  return out;
}

/** Every byte by itself: runs of one; longer than the row unless bytes repeat, so equal neighbours are joined. */
function runs(bytes: Buffer): Buffer {
  const out: number[] = [];
  for (let i = 0; i < bytes.length;) {
    let n = 1;
    while (n < 127 && i + n < bytes.length && bytes[i + n] === bytes[i]) n++;
    if (n > 2) {
      out.push(n - 1, bytes[i]);
      i += n;
      continue;
    }
    let m = 1;
    while (m < 127 && i + m < bytes.length && !(bytes[i + m] === bytes[i + m + 1] && bytes[i + m] === bytes[i + m + 2])) m++;
    out.push(256 - m, ...bytes.subarray(i, i + m));
    i += m;
  }
  return Buffer.from(out);
}

/** A PNG whose blocks have right sums again, as far as its blocks can be followed. */
export function withCrcs(png: Uint8Array): Uint8Array {
  const out = png.slice();
  const view = new DataView(out.buffer);
  for (let at = 8; at + 12 <= out.length;) {
    const end = at + 8 + view.getUint32(at);
    if (end + 4 > out.length) break;
    view.setUint32(end, crc32(out.subarray(at + 4, end)));
    at = end + 4;
  }
  return out;
}
