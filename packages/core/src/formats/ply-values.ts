import { InvalidInputError } from '../runtime/errors';
import type { GrowableF32 } from '../runtime/growable';
import { GrowableU32 } from '../runtime/growable';
import type { ByteWindow } from './byte-window';
import type { PlyType } from './ply-header';
import { PLY_BYTES } from './ply-header';
import { TextScanner } from './text-scanner';

/** Values one after another, whatever the encoding. */
export interface Values {
  next(type: PlyType): number;
  /** The same, many at once. */
  into(out: GrowableF32 | GrowableU32, type: PlyType, n: number): void;
  /** Passes over some. */
  skip(type: PlyType, n: number): void;
  place(): { line?: number };
  readonly done: number; // bytes
  /** Reads points of nothing but single values, as many as are at hand, up to `most`. @returns how many; 0 where that is not possible, or where a
   *  value is odd: then they are read one by one, and told what is wrong */
  points(columns: readonly Column[], from: number, most: number): number;
  /** The same for faces of a list of points and single values. */
  faces(layout: FaceLayout, from: number, most: number): number;
}

/** Where one value of each point goes. */
export interface Column {
  readonly type: PlyType;
  /** Null passes it over. */
  readonly out: Float32Array | Float64Array | null;
  readonly stride: number;
  readonly offset: number;
  /** That stands for 1. */
  readonly full: number;
}

/** Faces of a list of four-byte points, counted in a byte, and then single values, which most files are made of. */
export interface FaceLayout {
  readonly offsets: Uint32Array;
  readonly corners: GrowableU32;
  /** Of the file: no face may name another. */
  readonly points: number;
  /** Bytes after the list, and where among them a group of four stands; null for none. */
  readonly after: number;
  readonly group: { readonly at: number; readonly out: Int32Array } | null;
}
const MOST_CORNERS = 255;

export class TextValues implements Values {
  private readonly scanner: TextScanner;
  constructor(file: ByteWindow, from: number, line: number) {
    this.scanner = new TextScanner(file);
    this.scanner.pos = from;
    this.scanner.line = line + 1;
  }
  next(): number {
    const { scanner } = this;
    scanner.skipSpace();
    while (scanner.pos >= scanner.b.length && scanner.more()) scanner.skipSpace();
    return scanner.numberHere('a value');
  }
  into(out: GrowableF32 | GrowableU32, _: PlyType, n: number): void {
    const whole = out instanceof GrowableU32;
    for (let i = 0; i < n; i++) {
      const value = this.next();
      if (whole && !Number.isInteger(value))
        this.scanner.fail('BAD_NUMBER', `${value} stands where a point is named by its number; correct the line or write the file again.`);
      out.push(value);
    }
  }
  skip(_: PlyType, n: number): void {
    for (let i = 0; i < n; i++) this.next();
  }
  place(): { line: number } {
    return { line: this.scanner.line };
  }
  get done(): number {
    return this.scanner.done;
  }
  points(): number {
    return 0;
  }
  faces(): number {
    return 0;
  }
}

export class BinaryValues implements Values {
  private view: DataView;
  /** Whether a point has a value that will be refused when it comes. */
  private isOdd = false;
  constructor(
    private readonly file: ByteWindow,
    private at: number, // in what is at hand
    private readonly little: boolean,
  ) {
    this.view = viewOf(file);
  }
  get done(): number {
    return this.file.start + this.at;
  }
  place(): Record<string, never> {
    return {};
  }
  private take(bytes: number): number {
    if (this.at + bytes > this.view.byteLength) this.bring(bytes);
    const { at } = this;
    this.at = at + bytes;
    return at;
  }
  private bring(bytes: number): void {
    const { file } = this;
    while (this.at + bytes > file.bytes.length) {
      if (!file.moveOn(this.at))
        throw new InvalidInputError(
          'TRUNCATED',
          `this PLY ends too early (at byte ${file.start + file.bytes.length}); it was cut off, so write or copy it again.`,
        );
      this.at = 0;
    }
    this.view = viewOf(file);
  }
  into(out: GrowableF32 | GrowableU32, type: PlyType, n: number): void {
    // the two that film files are made of; the rest one by one
    if (type === 'f32' || type === 'i32' || type === 'u32') {
      const at = this.take(4 * n);
      const { view, little } = this;
      if (type === 'f32') for (let i = 0; i < n; i++) out.push(view.getFloat32(at + 4 * i, little));
      else for (let i = 0; i < n; i++) out.push(view.getUint32(at + 4 * i, little));
    } else for (let i = 0; i < n; i++) out.push(this.next(type));
  }
  skip(type: PlyType, n: number): void {
    this.take(n * PLY_BYTES[type]);
  }
  points(columns: readonly Column[], from: number, most: number): number {
    if (this.isOdd) return 0;
    const bytes = columns.reduce((sum, { type }) => sum + PLY_BYTES[type], 0);
    const n = Math.min(most, Math.floor((this.view.byteLength - this.at) / bytes));
    let at = this.at;
    for (const column of columns) {
      if (column.out !== null && !this.column(column, at, bytes, from, n)) {
        this.isOdd = true;
        return 0;
      }
      at += PLY_BYTES[column.type];
    }
    this.at += n * bytes;
    return n;
  }
  /** @returns whether all are numbers of a usual size */
  private column({ type, out, stride, offset, full }: Column, at: number, bytes: number, from: number, n: number): boolean {
    const { view, little } = this;
    if (out === null) return true;
    let place = stride * from + offset;
    let isUsual = true;
    if (type === 'f32')
      for (let i = 0; i < n; i++, at += bytes, place += stride) {
        const x = view.getFloat32(at, little);
        if (!isUsualSize(x)) isUsual = false;
        out[place] = x / full;
      }
    else {
      const here = this.at;
      for (let i = 0; i < n; i++, at += bytes, place += stride) {
        this.at = at;
        const x = this.next(type);
        if (!isUsualSize(x)) isUsual = false;
        out[place] = x / full;
      }
      this.at = here;
    }
    return isUsual;
  }
  faces({ offsets, corners, points, after, group }: FaceLayout, from: number, most: number): number {
    const { view, little } = this;
    const { bytes } = this.file;
    // a face that is at hand in all cases
    const last = view.byteLength - (1 + 4 * MOST_CORNERS + after);
    let { at } = this;
    let face = from;
    let { length } = corners;
    let out = corners.reserve(0);
    for (; face < from + most && at <= last; face++) {
      const n = bytes[at];
      if (n < 3) break;
      if (length + n > out.length) {
        corners.length = length;
        out = corners.reserve(n);
      }
      let isKnown = true;
      for (let k = 0; k < n; k++) {
        const v = view.getUint32(at + 1 + 4 * k, little);
        if (v >= points) isKnown = false;
        out[length + k] = v;
      }
      if (!isKnown) break;
      length += n;
      at += 1 + 4 * n;
      if (group !== null) group.out[face] = view.getInt32(at + group.at, little);
      at += after;
      offsets[face + 1] = length;
    }
    corners.length = length;
    this.at = at;
    return face - from;
  }
  next(type: PlyType): number {
    const at = this.take(PLY_BYTES[type]);
    const { view, little } = this;
    switch (type) {
      case 'f32': return view.getFloat32(at, little);
      case 'i32': return view.getInt32(at, little);
      case 'u8': return view.getUint8(at);
      case 'u32': return view.getUint32(at, little);
      case 'f64': return view.getFloat64(at, little);
      case 'u16': return view.getUint16(at, little);
      case 'i16': return view.getInt16(at, little);
      case 'i8': return view.getInt8(at);
    } // prettier-ignore
  }
}

export const isUsualSize = (value: number): boolean => Math.abs(value) < 3.5e38;

const viewOf = ({ bytes }: ByteWindow): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
