import type { Allocate } from './threads';
import { ownMemory } from './threads';

/** A typed array that doubles when full; `finish` gives the filled part as its own array. */
export class GrowableF32 {
  private data: Float32Array<ArrayBuffer>;
  length = 0;
  /** @param expected values to make room for at once */
  constructor(expected = 4096) {
    this.data = new Float32Array(Math.max(16, expected));
  }
  at(i: number): number {
    return this.data[i];
  }
  set(i: number, x: number): void {
    this.data[i] = x;
  }
  push(x: number): void {
    if (this.length === this.data.length) {
      const next = new Float32Array(this.data.length * 2);
      next.set(this.data);
      this.data = next;
    }
    this.data[this.length++] = x;
  }
  finish(): Float32Array {
    return this.length === this.data.length ? this.data : this.data.slice(0, this.length);
  }
}

export class GrowableF64 {
  private data: Float64Array<ArrayBuffer>;
  length = 0;
  /** @param expected values to make room for at once */
  constructor(expected = 4096) {
    this.data = new Float64Array(Math.max(16, expected));
  }
  at(i: number): number {
    return this.data[i];
  }
  push(x: number): void {
    if (this.length === this.data.length) {
      const next = new Float64Array(this.data.length * 2);
      next.set(this.data);
      this.data = next;
    }
    this.data[this.length++] = x;
  }
  /** The filled part; a view, so nothing may be pushed afterwards. */
  finish(): Float64Array {
    return this.data.subarray(0, this.length);
  }
}

export class GrowableU32 {
  private data: Uint32Array;
  length = 0;
  /** @param expected values to make room for at once */
  constructor(
    expected = 4096,
    private readonly allocate: Allocate = ownMemory,
  ) {
    this.data = new Uint32Array(allocate(4 * Math.max(16, expected)));
  }
  at(i: number): number {
    return this.data[i];
  }
  push(x: number): void {
    if (this.length === this.data.length) this.grow(this.data.length * 2);
    this.data[this.length++] = x;
  }
  /** Makes room for `n` more values and returns the array to write into at `length`. */
  reserve(n: number): Uint32Array {
    if (this.length + n > this.data.length) this.grow(Math.max(this.data.length * 2, this.length + n));
    return this.data;
  }
  private grow(to: number): void {
    const next = new Uint32Array(this.allocate(4 * to));
    next.set(this.data);
    this.data = next;
  }
  /** Takes the last value away; there must be one. */
  pop(): number {
    return this.data[--this.length];
  }
  clear(): void {
    this.length = 0;
  }
  finish(): Uint32Array {
    return this.length === this.data.length ? this.data : this.data.slice(0, this.length);
  }
}

/** Bytes of a text under construction. */
export class ByteWriter {
  private data = new Uint8Array(1 << 16);
  length = 0;

  /** Makes room for `n` more bytes and returns the buffer to write into at `length`. */
  reserve(n: number): Uint8Array {
    if (this.length + n > this.data.length) {
      const next = new Uint8Array(Math.max(this.data.length * 2, this.length + n));
      next.set(this.data.subarray(0, this.length));
      this.data = next;
    }
    return this.data;
  }
  byte(b: number): void {
    this.reserve(1)[this.length++] = b;
  }
  bytes(source: Uint8Array): void {
    this.reserve(source.length).set(source, this.length);
    this.length += source.length;
  }
  /** UTF-8, by hand: the core has no TextEncoder. */
  text(s: string): void {
    for (const ch of s) {
      const c = ch.codePointAt(0) ?? 0;
      if (c < 0x80) this.byte(c);
      else if (c < 0x800) {
        this.byte(0xc0 | (c >> 6));
        this.byte(0x80 | (c & 63));
      } else if (c < 0x10000) {
        this.byte(0xe0 | (c >> 12));
        this.byte(0x80 | ((c >> 6) & 63));
        this.byte(0x80 | (c & 63));
      } else {
        this.byte(0xf0 | (c >> 18));
        this.byte(0x80 | ((c >> 12) & 63));
        this.byte(0x80 | ((c >> 6) & 63));
        this.byte(0x80 | (c & 63));
      }
    }
  }
  finish(): Uint8Array {
    return this.data.slice(0, this.length);
  }
}

/** UTF-8 text of bytes; malformed bytes become U+FFFD. */
export function decodeUtf8(bytes: Uint8Array, from = 0, to = bytes.length): string {
  let s = '';
  for (let i = from; i < to;) {
    const b = bytes[i++];
    const more = b < 0x80 ? 0 : b >= 0xf0 ? 3 : b >= 0xe0 ? 2 : b >= 0xc0 ? 1 : -1;
    let c = more <= 0 ? b : b & (0x3f >> more);
    for (let k = 0; k < more; k++) c = (c << 6) | (i < to ? bytes[i++] & 0x3f : 0);
    s += more < 0 || c > 0x10ffff || (c >= 0xd800 && c < 0xe000) ? '\ufffd' : String.fromCodePoint(c);
  }
  return s;
}
