import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { decodeUtf8 } from '../runtime/growable';
import type { Raster } from '../raster/field';
import { ByteReader, checkImageSize } from './bytes';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

export interface IntegerOrFloatImage extends Raster {
  readonly depth: '8' | '16' | 'float';
  /** The file's own text: TIFF ImageDescription or PNG text, '' when there is none. */
  readonly description: string;
}

const NAMES: Record<number, string> = { 256: 'width', 257: 'height', 258: 'bits', 259: 'compression', 270: 'text', 273: 'offsets', 277: 'samples', 278: 'rows', 279: 'counts', 284: 'planar', 317: 'predictor', 322: 'tiles', 339: 'format' }; // prettier-ignore

/** Reads a TIFF in strips: 8 or 16 bit unsigned or 32 bit float, interleaved, uncompressed or deflate, either byte order.
 *  Integer values come back as 0..1. @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, TOO_LARGE; UnsupportedError */
export async function readTiff(bytes: Uint8Array, zlib: Zlib): Promise<IntegerOrFloatImage> {
  const little = bytes[0] === 0x49;
  const r = new ByteReader(bytes, 'TIFF', little);
  if (bytes.length < 8 || (bytes[0] !== 0x49 && bytes[0] !== 0x4d) || bytes[1] !== bytes[0]) notTiff();
  r.at = 2;
  if (r.u16() !== 42) notTiff();
  r.at = r.u32();
  const tags = readTags(r);
  const one = (name: string, fallback: number): number => tags.get(name)?.[0] ?? fallback;
  const W = one('width', 0);
  const H = one('height', 0);
  checkImageSize('TIFF', W, H);
  const bits = one('bits', 1);
  const format = one('format', 1);
  const compression = one('compression', 1);
  const predictor = one('predictor', 1);
  const channels = one('samples', 1);
  const depth = format === 3 && bits === 32 ? 'float' : format === 1 && (bits === 8 || bits === 16) ? (String(bits) as '8' | '16') : null;
  if (depth === null || channels > 16)
    throw new UnsupportedError(
      'UNSUPPORTED',
      `this TIFF has ${bits} bit samples of a kind that is not read; write 8 or 16 bit unsigned or 32 bit float.`,
    );
  if (tags.has('tiles') || one('planar', 1) !== 1 || ![1, 8, 32946].includes(compression))
    throw new UnsupportedError(
      'UNSUPPORTED',
      'this TIFF is tiled, planar or compressed in a way that is not read; write strips with deflate or without compression.',
    );
  const offsets = tags.get('offsets') ?? [];
  const counts = tags.get('counts') ?? [];
  const rowsPerStrip = Math.min(H, one('rows', H));
  if (offsets.length < Math.ceil(H / rowsPerStrip) || counts.length !== offsets.length)
    throw new InvalidInputError('TRUNCATED', 'this TIFF does not list all its strips; write or copy it again.');
  const row = W * channels;
  const values = new Float32Array(row * H);
  const size = bits / 8;
  await mapInOrder(Math.ceil(H / rowsPerStrip), async (s) => {
    const at = new ByteReader(bytes, 'TIFF', little);
    at.at = offsets[s];
    const packed = at.take(counts[s]);
    const rows = Math.min(rowsPerStrip, H - s * rowsPerStrip);
    const raw = compression === 1 ? packed : await zlib.inflate(packed, rows * row * size);
    if (raw.length < rows * row * size) throw new InvalidInputError('TRUNCATED', 'this TIFF has a damaged strip; write or copy it again.');
    unpackStrip(raw, values, s * rowsPerStrip * row, rows, row, channels, depth, predictor, little);
  });
  return {
    width: W,
    height: H,
    channels,
    values,
    depth,
    description: decodeUtf8(Uint8Array.from(tags.get('text') ?? [])).replace(/\0+$/, ''),
  };
}

function notTiff(): never {
  throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not a TIFF file; choose a map written as TIFF.');
}

function readTags(r: ByteReader): Map<string, number[]> {
  const tags = new Map<string, number[]>();
  const count = r.u16();
  for (let i = 0; i < count; i++) {
    const tag = r.u16();
    const type = r.u16();
    const n = r.u32();
    const size = type === 3 ? 2 : type === 4 ? 4 : 1;
    const next = r.at + 4;
    const name = NAMES[tag];
    if (name !== undefined && n <= 1 << 20) {
      if (n * size > 4) r.at = r.u32();
      tags.set(
        name,
        Array.from({ length: n }, () => (type === 3 ? r.u16() : type === 4 ? r.u32() : r.u8())),
      );
    }
    r.at = next;
  }
  return tags;
}

function unpackStrip(
  raw: Uint8Array,
  values: Float32Array,
  start: number,
  rows: number,
  row: number,
  channels: number,
  depth: '8' | '16' | 'float',
  predictor: number,
  little: boolean,
): void {
  const size = depth === '8' ? 1 : depth === '16' ? 2 : 4;
  const line = new Uint8Array(row * size);
  const view = new DataView(line.buffer);
  const previous = new Uint32Array(channels);
  for (let y = 0; y < rows; y++) {
    line.set(raw.subarray(y * row * size, (y + 1) * row * size));
    const out = start + y * row;
    if (depth === 'float') {
      if (predictor === 3) {
        for (let i = channels; i < line.length; i++) line[i] += line[i - channels];
        const sorted = line.slice();
        for (let i = 0; i < row; i++) for (let k = 0; k < 4; k++) line[4 * i + k] = sorted[(little ? 3 - k : k) * row + i];
      }
      for (let i = 0; i < row; i++) values[out + i] = view.getFloat32(4 * i, little);
      continue;
    }
    const top = depth === '8' ? 255 : 65535;
    previous.fill(0);
    for (let i = 0; i < row; i++) {
      let q = depth === '8' ? line[i] : view.getUint16(2 * i, little);
      if (predictor === 2) {
        q = (q + previous[i % channels]) & top;
        previous[i % channels] = q;
      }
      values[out + i] = q / top;
    }
  }
}
