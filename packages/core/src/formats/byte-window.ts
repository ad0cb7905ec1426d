import { plainBytes } from './bytes';

/** A file that is handed over from front to back. */
export interface ByteSource {
  /** Bytes of the whole file. */
  readonly size: number;
  /** The next bytes, as many as suit the source; none at the end. The call after it may write over them. */
  next(): Uint8Array;
}

/** What the readers of meshes are given: a file, or the part of one that is at hand. */
export type FileBytes = Uint8Array | ByteWindow;

/** The part of a file that is at hand. A reader that goes from front to back moves it on, so that memory holds pieces instead of the file. */
export class ByteWindow {
  /** What is at hand: moving on gives others. */
  bytes: Uint8Array;
  /** Where in the file they begin. */
  start = 0;
  /** Of the whole file. */
  readonly size: number;
  private readonly source: ByteSource | null;
  private buffer = new Uint8Array(0);
  private over = false;

  constructor(file: Uint8Array | ByteSource) {
    this.source = file instanceof Uint8Array ? null : file;
    this.bytes = file instanceof Uint8Array ? plainBytes(file) : this.buffer;
    this.size = file instanceof Uint8Array ? file.length : file.size;
  }

  /** Whether nothing follows what is at hand. */
  get ended(): boolean {
    return this.over || this.start + this.bytes.length >= this.size;
  }

  /** Lets go of the first `behind` bytes and brings the next piece. @returns whether there was one */
  moveOn(behind: number): boolean {
    const piece = this.ended || this.source === null ? null : this.source.next();
    if (piece === null || piece.length === 0) {
      this.over = true;
      return false;
    }
    const kept = this.bytes.length - behind;
    const wanted = kept + piece.length;
    // twice what is wanted, so that a reader which needs ever more at once does not copy it for every piece
    const to = wanted > this.buffer.length ? new Uint8Array(2 * wanted) : this.buffer;
    to.set(this.bytes.subarray(behind));
    to.set(piece, kept);
    this.buffer = to;
    this.bytes = to.subarray(0, wanted);
    this.start += behind;
    return true;
  }

  /** Brings pieces until `n` bytes are at hand, or all that there are. */
  atLeast(n: number): Uint8Array {
    while (this.bytes.length < n && this.moveOn(0));
    return this.bytes;
  }

  /** The file from its beginning, of which nothing must have been let go. */
  whole(): Uint8Array {
    if (this.source === null) return wholeBytes(this.bytes);
    const out = new Uint8Array(this.size);
    out.set(this.bytes);
    let at = this.bytes.length;
    while (at < this.size) {
      const piece = this.source.next().subarray(0, this.size - at);
      if (piece.length === 0) break;
      out.set(piece, at);
      at += piece.length;
    }
    return at < this.size ? out.slice(0, at) : out;
  }
}

export const windowOf = (file: FileBytes): ByteWindow => (file instanceof ByteWindow ? file : new ByteWindow(file));

/** All bytes in an array of their own, for readers that go back and forth: what a library sees behind a view is none of its business. */
export function wholeBytes(file: FileBytes): Uint8Array {
  if (file instanceof ByteWindow) return file.whole();
  return file.byteLength === file.buffer.byteLength ? file : plainBytes(file).slice();
}
