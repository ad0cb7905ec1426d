import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { decodeUtf8 } from '../runtime/growable';
import type { Raster } from '../raster/field';
import { brokenHeader, ByteReader, checkFileHolds, checkImageSize } from './bytes';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

export interface IntegerOrFloatImage extends Raster {
  readonly depth: '8' | '16' | 'float';
  /** The file's own text: TIFF ImageDescription or PNG text, '' when there is none. */
  readonly description: string;
}

const NAMES: Record<number, string> = { 256: 'width', 257: 'height', 258: 'bits', 259: 'compression', 262: 'photometric', 266: 'fill', 270: 'text', 273: 'offsets', 274: 'orientation', 277: 'samples', 278: 'rows', 279: 'counts', 284: 'planar', 317: 'predictor', 322: 'tiles', 339: 'format' }; // prettier-ignore

const WHITE_IS_ZERO = 0;
const MOST_SAMPLES = 16;

/** What the values of a strip are. */
interface Layout {
  readonly row: number; // samples
  readonly channels: number;
  readonly depth: '8' | '16' | 'float';
  /** 1 none, 2 differences of integers, 3 differences of floats' bytes. */
  readonly predictor: number;
  readonly whiteIsZero: boolean;
  readonly little: boolean;
}

/** Reads a TIFF in strips: 8 or 16 bit unsigned or 32 bit float, interleaved, uncompressed or deflate, either byte order.
 *  Integer values come back as 0..1. @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, TOO_LARGE; UnsupportedError */
export async function readTiff(bytes: Uint8Array, zlib: Zlib): Promise<IntegerOrFloatImage> {
  const little = bytes[0] === 0x49;
  const r = new ByteReader(bytes, 'TIFF', little);
  if (bytes.length < 8 || (bytes[0] !== 0x49 && bytes[0] !== 0x4d) || bytes[1] !== bytes[0]) notTiff();
  r.at = 2;
  const version = r.u16();
  if (version === 43) throw new UnsupportedError('UNSUPPORTED', 'this is a BigTIFF, which is not read; write a plain TIFF.');
  if (version !== 42) notTiff();
  r.at = r.u32();
  const tags = readTags(r);
  const one = (name: string, fallback: number): number => tags.get(name)?.[0] ?? fallback;
  const W = one('width', 0);
  const H = one('height', 0);
  checkImageSize('TIFF', W, H);
  const layout = layoutOf(tags, W, little);
  const { channels, depth } = layout;
  const size = depth === '8' ? 1 : depth === '16' ? 2 : 4;
  const rowsPerStrip = Math.min(H, one('rows', H));
  const offsets = tags.get('offsets') ?? [];
  const counts = tags.get('counts') ?? [];
  if (rowsPerStrip < 1 || offsets.length < Math.ceil(H / rowsPerStrip) || counts.length !== offsets.length)
    throw new InvalidInputError('TRUNCATED', 'this TIFF does not list all its strips; write or copy it again.');
  const row = W * channels;
  checkFileHolds('TIFF', row * H * size, bytes.length);
  const values = new Float32Array(row * H);
  const packedAs = one('compression', 1);
  await mapInOrder(Math.ceil(H / rowsPerStrip), async (s) => {
    const at = new ByteReader(bytes, 'TIFF', little);
    at.at = offsets[s];
    const packed = at.take(counts[s]);
    const rows = Math.min(rowsPerStrip, H - s * rowsPerStrip);
    const raw = packedAs === 1 ? packed : await zlib.inflate(packed, rows * row * size);
    if (raw.length < rows * row * size) throw new InvalidInputError('TRUNCATED', 'this TIFF has a damaged strip; write or copy it again.');
    unpackStrip(raw, values, s * rowsPerStrip * row, rows, layout);
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

/** @throws UnsupportedError naming what is not read */
function layoutOf(tags: ReadonlyMap<string, readonly number[]>, width: number, little: boolean): Layout {
  const one = (name: string, fallback: number): number => tags.get(name)?.[0] ?? fallback;
  const refuse: (what: string) => never = (what) => {
    throw new UnsupportedError('UNSUPPORTED', `this TIFF ${what}.`);
  };
  const bits = tags.get('bits') ?? [1];
  const formats = tags.get('format') ?? [1];
  const alike = [bits, formats].every((list) => list.every((x) => x === list[0]));
  const depth =
    formats[0] === 3 && bits[0] === 32
      ? 'float'
      : formats[0] === 1 && (bits[0] === 8 || bits[0] === 16)
        ? (String(bits[0]) as '8' | '16')
        : null;
  if (depth === null || !alike)
    refuse(`has ${bits.slice(0, 4).join(', ')} bit samples of a kind that is not read; write 8 or 16 bit unsigned or 32 bit float`);
  const channels = one('samples', 1);
  if (channels < 1 || channels > MOST_SAMPLES)
    refuse(`has ${channels} samples a texel; from 1 to ${MOST_SAMPLES} are read, so write one or three`);
  if (tags.has('tiles') || (one('planar', 1) !== 1 && channels > 1) || ![1, 8, 32946].includes(one('compression', 1)))
    refuse('is tiled, planar or compressed in a way that is not read; write strips with deflate or without compression');
  const photometric = one('photometric', 1);
  if (photometric > 2 || (photometric === WHITE_IS_ZERO && channels > 2))
    refuse('holds no plain grey or RGB values (a palette, or another colour space); write grey or RGB');
  if (one('orientation', 1) !== 1) refuse('is stored turned or mirrored; write it with its first row on top and its first column left');
  if (one('fill', 1) !== 1) refuse('has its bits in reverse order; write it with the usual fill order');
  const predictor = one('predictor', 1);
  if (!(predictor === 1 || predictor === (depth === 'float' ? 3 : 2)))
    refuse(
      `uses predictor ${predictor} with ${depth === 'float' ? 'float' : 'whole-number'} samples, which is not read; write it with ${depth === 'float' ? 3 : 2} or without one`,
    );
  return { row: width * channels, channels, depth, predictor, whiteIsZero: photometric === WHITE_IS_ZERO, little };
}

/** Bytes of a value by its type; the types that the tags read here may have. */
const SIZES: Record<number, number | undefined> = { 1: 1, 2: 1, 3: 2, 4: 4, 7: 1 };
const MOST_VALUES = 1 << 20;

function readTags(r: ByteReader): Map<string, number[]> {
  const tags = new Map<string, number[]>();
  const count = r.u16();
  for (let i = 0; i < count; i++) {
    const tag = r.u16();
    const type = r.u16();
    const n = r.u32();
    const next = r.at + 4;
    const name = NAMES[tag];
    const size = SIZES[type];
    if (name !== undefined) {
      if (size === undefined || n > MOST_VALUES || tags.has(name)) brokenHeader('TIFF');
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

function unpackStrip(raw: Uint8Array, values: Float32Array, start: number, rows: number, layout: Layout): void {
  const { row, channels, depth, predictor, whiteIsZero, little } = layout;
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
      values[out + i] = (whiteIsZero && i % channels === 0 ? top - q : q) / top;
    }
  }
}
