import { ByteWriter } from '../runtime/growable';
import { concatBytes } from './bytes';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

/** Rows from the top, samples interleaved; uint8, uint16 or float32. */
export interface TiffImage {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  readonly data: Uint8Array | Uint16Array | Float32Array;
  readonly description: string;
}

const STRIP_ROWS = 64;

/** Writes a little-endian TIFF 6.0 with deflate strips and predictor 2 (integers) or 3 (floats, Adobe Technical Note 3). */
export async function writeTiff({ width: W, height: H, channels, data, description }: TiffImage, zlib: Zlib): Promise<Uint8Array> {
  const size = data.BYTES_PER_ELEMENT;
  const isFloat = data instanceof Float32Array;
  const strips = await mapInOrder(Math.ceil(H / STRIP_ROWS), (s) => {
    const rows = Math.min(STRIP_ROWS, H - s * STRIP_ROWS);
    const from = s * STRIP_ROWS * W * channels;
    const part = data.slice(from, from + rows * W * channels);
    return zlib.deflate(
      part instanceof Float32Array ? predictFloat(part, W * channels, channels) : predictInteger(part, W * channels, channels),
    );
  });
  const text = new ByteWriter();
  text.text(description);
  text.byte(0);
  const entries: [tag: number, type: 2 | 3 | 4, values: ArrayLike<number>][] = [
    [256, 4, [W]],
    [257, 4, [H]],
    [258, 3, new Array<number>(channels).fill(8 * size)],
    [259, 3, [8]], // Adobe deflate
    [262, 3, [channels === 1 ? 1 : 2]],
    [270, 2, text.finish()],
    [273, 4, strips.map(() => 0)],
    [274, 3, [1]],
    [277, 3, [channels]],
    [278, 4, [STRIP_ROWS]],
    [279, 4, strips.map((s) => s.length)],
    [284, 3, [1]],
    [317, 3, [isFloat ? 3 : 2]],
    [339, 3, new Array<number>(channels).fill(isFloat ? 3 : 1)],
  ];
  return concatBytes([layOut(entries, strips), ...strips]);
}

const SIZES = { 2: 1, 3: 2, 4: 4 } as const;

/** Header, directory and the values that do not fit it; fills in where the strips will lie. */
function layOut(entries: [number, 2 | 3 | 4, ArrayLike<number>][], strips: readonly Uint8Array[]): Uint8Array {
  let extra = 8 + 2 + 12 * entries.length + 4;
  const places = entries.map(([, type, values]) => {
    const bytes = SIZES[type] * values.length;
    if (bytes <= 4) return -1;
    const at = extra;
    extra += bytes + (bytes & 1);
    return at;
  });
  let stripAt = extra;
  const offsets = strips.map((s) => {
    const at = stripAt;
    stripAt += s.length;
    return at;
  });
  const view = new DataView(new ArrayBuffer(extra));
  view.setUint16(0, 0x4949);
  view.setUint16(2, 42, true);
  view.setUint32(4, 8, true);
  view.setUint16(8, entries.length, true);
  entries.forEach(([tag, type, given], i) => {
    const values = tag === 273 ? offsets : given;
    const o = 10 + 12 * i;
    view.setUint16(o, tag, true);
    view.setUint16(o + 2, type, true);
    view.setUint32(o + 4, values.length, true);
    if (places[i] >= 0) view.setUint32(o + 8, places[i], true);
    let at = places[i] >= 0 ? places[i] : o + 8;
    for (let k = 0; k < values.length; k++, at += SIZES[type]) {
      if (type === 2) view.setUint8(at, values[k]);
      else if (type === 3) view.setUint16(at, values[k], true);
      else view.setUint32(at, values[k], true);
    }
  });
  return new Uint8Array(view.buffer);
}

/** Horizontal differences a channel, in place. */
function predictInteger(rows: Uint8Array | Uint16Array, row: number, channels: number): Uint8Array {
  for (let o = 0; o < rows.length; o += row) for (let i = row - 1; i >= channels; i--) rows[o + i] -= rows[o + i - channels];
  return new Uint8Array(rows.buffer);
}

/** Bytes of a row sorted by significance (most first), then horizontal differences. */
function predictFloat(rows: Float32Array, row: number, channels: number): Uint8Array {
  const bytes = new Uint8Array(rows.buffer);
  const out = new Uint8Array(bytes.length);
  for (let o = 0; o < bytes.length; o += 4 * row) {
    for (let i = 0; i < row; i++) for (let k = 0; k < 4; k++) out[o + (3 - k) * row + i] = bytes[o + 4 * i + k];
    for (let i = 4 * row - 1; i >= channels; i--) out[o + i] -= out[o + i - channels];
  }
  return out;
}
