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

/** Reads numbers from a file's bytes; running past the end is a clear error instead of `undefined`. */
export class ByteReader {
  at = 0;
  private readonly view: DataView;
  constructor(
    readonly bytes: Uint8Array,
    private readonly format: string,
    readonly littleEndian: boolean,
  ) {
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
      if (s.length > max) throw new InvalidInputError('NOT_THIS_FORMAT', `this ${this.format} has a broken header; write the file again.`);
    }
  }
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
