import { cutField } from '../raster/cut-field';
import type { Field } from '../raster/field';
import { MENDED } from '../raster/field';
import { fromHalf, toHalf } from '../raster/half';
import { halveField } from '../raster/halve-field';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { checkImageSize, concatBytes } from './bytes';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

/** Smaller pictures of a field, each half the one before, cut in blocks, so that a view reads only what it shows. For looking: half floats.
 *
 *      magic, width, height, channels of the field       4 x u32
 *      ends of the blocks, counted from the first one    f64 a block
 *      blocks: deflated coverage, then high bytes, then low bytes of the values
 *
 *  Levels run from the finest (half the field's size) to the first that is one block. Their blocks lie the other way round, the coarsest level
 *  first, so that the beginning of the file is a picture of all; in a level rows of blocks from the top. */
const MAGIC = 0x31504645; // EFP1
/** Texels of a block's side. */
export const BLOCK_SIDE = 256;

export interface PyramidLevel {
  /** Texels of the field along one of its own. */
  readonly step: number;
  readonly width: number;
  readonly height: number;
  readonly columns: number;
  readonly rows: number;
  /** Number of its first block among all. */
  readonly first: number;
}
export interface Pyramid {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  /** From the finest. */
  readonly levels: readonly PyramidLevel[];
  /** Where each block begins in the file, and after them where the last ends. */
  readonly offsets: Float64Array;
}

/** Levels of a field's pyramid. @param width, height texels of the field */
export function pyramidLevels(width: number, height: number): PyramidLevel[] {
  const levels: Omit<PyramidLevel, 'first'>[] = [];
  for (let [w, h, step] = [width, height, 1]; Math.max(w, h) > BLOCK_SIDE;) {
    [w, h, step] = [(w + 1) >> 1, (h + 1) >> 1, 2 * step];
    levels.push({ step, width: w, height: h, columns: Math.ceil(w / BLOCK_SIDE), rows: Math.ceil(h / BLOCK_SIDE) });
  }
  const before = (k: number): number => levels.slice(k + 1).reduce((n, { columns, rows }) => n + columns * rows, 0);
  return levels.map((level, k) => ({ ...level, first: before(k) }));
}

const blockCount = (levels: readonly PyramidLevel[]): number => levels.reduce((n, l) => n + l.columns * l.rows, 0);
const headBytes = (levels: readonly PyramidLevel[]): number => 16 + 8 * blockCount(levels);
/** Bytes from the beginning that hold everything but blocks. */
export const pyramidHeadBytes = (width: number, height: number): number => headBytes(pyramidLevels(width, height));

/** @throws CancelledError */
export async function writePyramid(field: Field, zlib: Zlib, control?: RunControl): Promise<Uint8Array> {
  const levels = pyramidLevels(field.width, field.height);
  const head = new DataView(new ArrayBuffer(headBytes(levels)));
  [MAGIC, field.width, field.height, field.channels].forEach((x, k) => head.setUint32(4 * k, x, true));
  const byLevel: Uint8Array[][] = [];
  let level = field;
  for (const [k, { columns, rows }] of levels.entries()) {
    throwIfAborted(control);
    level = halveField(level);
    const own = level;
    byLevel.unshift(await mapInOrder(columns * rows, (i) => zlib.deflate(packBlock(own, i % columns, Math.floor(i / columns)))));
    control?.onProgress?.((k + 1) / levels.length, 'making it quick to look at');
  }
  const blocks = byLevel.flat();
  let end = 0;
  blocks.forEach((block, i) => head.setFloat64(16 + 8 * i, (end += block.length), true));
  return concatBytes([new Uint8Array(head.buffer), ...blocks]);
}

/** @param head at least the first `pyramidHeadBytes` @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED */
export function readPyramidHead(head: Uint8Array): Pyramid {
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const wrong = (): never => {
    throw new InvalidInputError('NOT_THIS_FORMAT', 'these are no pictures of a field; extract it again.');
  };
  if (head.length < 16 || view.getUint32(0, true) !== MAGIC) wrong();
  const [width, height, channels] = [4, 8, 12].map((at) => view.getUint32(at, true));
  checkImageSize('field', width, height);
  if (channels !== 1 && channels !== 3) wrong();
  const levels = pyramidLevels(width, height);
  const count = blockCount(levels);
  if (head.length < headBytes(levels))
    throw new InvalidInputError('TRUNCATED', 'these pictures of a field end too early; extract it again.');
  const offsets = new Float64Array(count + 1);
  const start = headBytes(levels);
  offsets[0] = start;
  for (let i = 0; i < count; i++) {
    offsets[i + 1] = start + view.getFloat64(16 + 8 * i, true);
    if (!(offsets[i + 1] > offsets[i])) wrong();
  }
  return { width, height, channels: channels as 1 | 3, levels, offsets };
}

/** Texels of a block. */
function blockSize(
  { width, height }: { readonly width: number; readonly height: number },
  x: number,
  y: number,
): readonly [number, number] {
  return [Math.min(BLOCK_SIDE, width - x * BLOCK_SIDE), Math.min(BLOCK_SIDE, height - y * BLOCK_SIDE)];
}

function packBlock(level: Field, x: number, y: number): Uint8Array {
  const { coverage, values } = cutField(level, x * BLOCK_SIDE, y * BLOCK_SIDE, BLOCK_SIDE);
  const [texels, n] = [coverage.length, values.length];
  const out = new Uint8Array(texels + 2 * n);
  out.set(coverage);
  toHalf(values).forEach((bits, i) => {
    out[texels + i] = bits >> 8;
    out[texels + n + i] = bits & 255;
  });
  return out;
}

/** @param bytes of the block alone @throws InvalidInputError TRUNCATED */
export async function readPyramidBlock(
  { channels }: Pick<Pyramid, 'channels'>,
  level: PyramidLevel,
  x: number,
  y: number,
  bytes: Uint8Array,
  zlib: Zlib,
): Promise<Field> {
  const [width, height] = blockSize(level, x, y);
  const [texels, n] = [width * height, channels * width * height];
  const raw = await zlib.inflate(bytes, texels + 2 * n);
  if (raw.length !== texels + 2 * n) throw new InvalidInputError('TRUNCATED', 'a picture of this field is damaged; extract it again.');
  const bits = Uint16Array.from({ length: n }, (_, i) => (raw[texels + i] << 8) | raw[texels + n + i]);
  return { width, height, channels, values: fromHalf(bits), coverage: raw.slice(0, texels).map((c) => Math.min(c, MENDED)) };
}
