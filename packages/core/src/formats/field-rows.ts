import type { Field } from '../raster/field';
import { INSIDE, MENDED } from '../raster/field';
import { InvalidInputError } from '../runtime/errors';
import { ByteReader } from './bytes';
import { readExrBlock, readExrHead, rowsOfBlock } from './exr-read';
import { channelsOfField } from './map-file';
import { attributesToRecord, texelSizesOf } from './map-record';
import type { Zlib } from './zlib-port';
import { mapInOrder } from './zlib-port';

/** A file that can be read in pieces. */
export interface ByteSource {
  readonly bytes: number;
  /** @param to exclusive, at most `bytes` */
  read(from: number, to: number): Promise<Uint8Array>;
}
export interface FieldRows {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
  readonly record: Record<string, unknown>;
  readonly texelSizes: Float32Array | null;
  /** Rows of the field from `first` on, as a field of its own. */
  read(first: number, count: number): Promise<Field>;
}

/** Enough for the head of every field that we write. */
const HEAD_BYTES = 64 * 1024;

/** Opens a field to read some of its rows, without the rest of the file. @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED; UnsupportedError */
export async function openFieldRows(source: ByteSource, zlib: Zlib): Promise<FieldRows> {
  const reader = new ByteReader(await source.read(0, Math.min(source.bytes, HEAD_BYTES)), 'EXR', true);
  const head = readExrHead(reader);
  const { width, height, top } = head;
  const all = head.channels.map((c) => c.name);
  const names = channelsOfField(all);
  const channels = names.length as 1 | 3;
  const rows = rowsOfBlock(head);
  const offsets = Float64Array.from({ length: Math.ceil(height / rows) }, () => reader.u64());
  const ends = [...offsets].sort((a, b) => a - b);
  const endOf = (offset: number): number => ends.find((e) => e > offset) ?? source.bytes;

  const read = async (first: number, count: number): Promise<Field> => {
    const last = Math.min(height, first + count);
    const blocks = Array.from({ length: Math.ceil(last / rows) - Math.floor(first / rows) }, (_, i) => Math.floor(first / rows) + i);
    const start = blocks[0] * rows;
    const stored = Math.min(height, (blocks[blocks.length - 1] + 1) * rows) - start;
    const wanted = [...names, ...all.filter((n) => n === 'coverage')];
    const planes = new Map(wanted.map((name) => [name, new Float32Array(width * stored)]));
    const at = blocks.map((b) => offsets[b]);
    const [from, to] = [Math.min(...at), Math.max(...at.map(endOf))];
    const bytes = await source.read(from, to);
    await mapInOrder(blocks.length, async (i) => {
      const r = new ByteReader(bytes, 'EXR', true);
      r.at = at[i] - from;
      const y0 = r.i32() - top;
      if (y0 !== blocks[i] * rows)
        throw new InvalidInputError('NOT_THIS_FORMAT', 'this EXR has rows out of place; extract the field again.');
      await readExrBlock(r, head, y0, rows, zlib, (name) => planes.get(name), start);
    });
    const skip = (first - start) * width;
    const n = (last - first) * width;
    const values = new Float32Array(channels * n);
    names.forEach((name, k) => {
      const plane = planes.get(name);
      if (plane) for (let i = 0; i < n; i++) values[channels * i + k] = plane[skip + i];
    });
    const coverage = planes.get('coverage');
    return {
      width,
      height: last - first,
      channels,
      values,
      coverage: coverage ? Uint8Array.from(coverage.subarray(skip, skip + n), (c) => Math.min(MENDED, c)) : new Uint8Array(n).fill(INSIDE),
    };
  };
  return { width, height, channels, record: attributesToRecord(head.attributes), texelSizes: texelSizesOf(head.attributes), read };
}
