import { InvalidInputError } from '../runtime/errors';

/** Joins parts into one array. */
export function concatBytes(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

/** The same bytes as a plain Uint8Array. A Node Buffer is one too, but its `slice` is a view and its `buffer` a shared pool: readers never see one. */
export const plainBytes = (bytes: Uint8Array): Uint8Array => new Uint8Array(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** Whether bytes begin with a mark of plain letters. */
export function startsWith(bytes: Uint8Array, mark: string): boolean {
  for (let i = 0; i < mark.length; i++) if (bytes[i] !== mark.charCodeAt(i)) return false;
  return true;
}

/** Reads numbers from a file's bytes; running past the end is a clear error instead of `undefined`. */
export class ByteReader {
  at = 0;
  private readonly view: DataView;
  /** Plain, also when a Buffer was given. */
  readonly bytes: Uint8Array;
  constructor(
    bytes: Uint8Array,
    private readonly format: string,
    readonly littleEndian: boolean,
  ) {
    this.bytes = plainBytes(bytes);
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }
  private need(n: number): number {
    const at = this.at;
    if (!(at >= 0 && n >= 0 && at + n <= this.bytes.length))
      throw new InvalidInputError(
        'TRUNCATED',
        `this ${this.format} ends too early (at byte ${this.bytes.length}); it was cut off, so write or copy it again.`,
      );
    this.at = at + n;
    return at;
  }
  u8(): number {
    return this.view.getUint8(this.need(1));
  }
  u16(): number {
    return this.view.getUint16(this.need(2), this.littleEndian);
  }
  u32(): number {
    return this.view.getUint32(this.need(4), this.littleEndian);
  }
  i32(): number {
    return this.view.getInt32(this.need(4), this.littleEndian);
  }
  f32(): number {
    return this.view.getFloat32(this.need(4), this.littleEndian);
  }
  f64(): number {
    return this.view.getFloat64(this.need(8), this.littleEndian);
  }
  u64(): number {
    return Number(this.view.getBigUint64(this.need(8), this.littleEndian));
  }
  take(n: number): Uint8Array {
    const at = this.need(n);
    return this.bytes.subarray(at, at + n);
  }
  /** Bytes up to a zero, as Latin text. */
  cstring(max = 255): string {
    let s = '';
    for (;;) {
      const b = this.u8();
      if (b === 0) return s;
      s += String.fromCharCode(b);
      if (s.length > max) brokenHeader(this.format);
    }
  }
}

/** @throws InvalidInputError NOT_THIS_FORMAT */
export function brokenHeader(format: string): never {
  throw new InvalidInputError('NOT_THIS_FORMAT', `this ${format} has a broken header; write the file again.`);
}

/** Largest image side that is read. */
export const MAX_SIDE = 32768;

/** @throws InvalidInputError TOO_LARGE */
export function checkImageSize(format: string, width: number, height: number): void {
  if (!(width >= 1 && height >= 1 && width <= MAX_SIDE && height <= MAX_SIDE))
    throw new InvalidInputError(
      'TOO_LARGE',
      `this ${format} says it has ${width} x ${height} texels; from 1 to ${MAX_SIDE} a side can be read, so write a smaller map.`,
    );
}

/** No byte of deflate (RFC 1951) stands for more than this many; run lengths are far below. */
const MOST_PACKED = 1032;

/** Refuses a size that the file cannot hold before memory is taken for it. @throws InvalidInputError TRUNCATED */
export function checkFileHolds(format: string, rawBytes: number, fileBytes: number): void {
  if (rawBytes > MOST_PACKED * fileBytes)
    throw new InvalidInputError(
      'TRUNCATED',
      `this ${format} has ${fileBytes} bytes, too few for the ${rawBytes} of its texels; it was cut off, so write or copy it again.`,
    );
}
