import type { ErrorCode } from '../runtime/errors';
import { InvalidInputError } from '../runtime/errors';
import { decodeUtf8 } from '../runtime/growable';
import type { ByteWindow, FileBytes } from './byte-window';
import { windowOf } from './byte-window';
import { POW10 } from './decimal';

const LARGEST_SINGLE = 3.4028234663852886e38;
export const NEWLINE = 10;
export const isBlank = (b: number): boolean => b === 32 || b === 9 || b === 13;
export const isDigit = (b: number): boolean => b >= 48 && b <= 57;
const BACKSLASH = 92;
/** Longest piece of a broken file that a message repeats. */
const SHOWN = 40;
/** Bytes of a name or note that are kept: nobody writes longer ones, and what is kept costs many times its length. */
const LONGEST_TEXT = 1 << 14;

/** Reads numbers and words from the bytes of a text file, and knows on which line it is. */
export class TextScanner {
  /** Whole lines that are at hand, and the place in them: of a file that comes in pieces, `more` gives the next. */
  b: Uint8Array;
  pos = 0;
  line = 1;

  private readonly endsWord = new Uint8Array(256);
  private readonly window: ByteWindow;

  /** @param ends characters besides blanks and line ends at which a number or word ends */
  constructor(file: FileBytes, ends = '') {
    for (const c of ` \t\r\n${ends}`) this.endsWord[c.charCodeAt(0)] = 1;
    this.window = windowOf(file);
    this.b = this.wholeLines();
  }

  /** Bytes of the file, and how many of them have been read. */
  get size(): number {
    return this.window.size;
  }
  get done(): number {
    return this.window.start + this.pos;
  }

  /** Goes on to the lines after those at hand, which must have been read. @returns false at the end of the file */
  more(): boolean {
    const { window, b } = this;
    if (b.length === window.bytes.length && window.ended) return false;
    window.moveOn(b.length);
    this.b = this.wholeLines();
    this.pos = 0;
    return this.b.length > 0;
  }

  /** What is at hand up to the last line end, so that no number or word is cut; brings more where there is none. */
  private wholeLines(): Uint8Array {
    const { window } = this;
    for (let from = 0; !window.ended;) {
      const end = lastLineEnd(window.bytes, from);
      if (end > 0) return window.bytes.subarray(0, end);
      from = window.bytes.length;
      window.moveOn(0);
    }
    return window.bytes;
  }

  /** @throws InvalidInputError with the line */
  fail(code: ErrorCode, message: string): never {
    throw new InvalidInputError(code, message, { line: this.line });
  }

  /** Past blanks and line ends. */
  skipSpace(): void {
    const { b } = this;
    for (;;) {
      const c = b[this.pos];
      if (c === NEWLINE) this.line++;
      else if (!isBlank(c)) return;
      this.pos++;
    }
  }

  /** Stays before the line end. */
  skipLine(): void {
    const end = this.b.indexOf(NEWLINE, this.pos);
    this.pos = end < 0 ? this.b.length : end;
  }

  /** Without blanks at its ends, of a line without end its beginning; stays before the line end. */
  restOfLine(): string {
    const from = this.pos;
    this.skipLine();
    return this.textOf(from, this.pos).trim();
  }

  /** At most `LONGEST_TEXT` bytes of it. */
  protected textOf(from: number, to: number): string {
    return decodeUtf8(this.b, from, Math.min(to, from + LONGEST_TEXT));
  }

  private ended(q: number): boolean {
    return q >= this.b.length || this.endsWord[this.b[q]] === 1;
  }

  /** The word here, at most `longest` bytes of it. */
  word(longest = SHOWN): string {
    const from = this.pos;
    while (!this.ended(this.pos) && this.pos - from < longest) this.pos++;
    return decodeUtf8(this.b, from, this.pos);
  }

  /** The decimal number here, exactly rounded to double when it has up to 15 digits, by Number() beyond; single precision must hold it.
   *  @throws InvalidInputError BAD_NUMBER, TRUNCATED */
  numberHere(what: string): number {
    const { b } = this;
    const from = this.pos;
    if (from >= b.length) this.fail('TRUNCATED', `the file ends in the middle of ${what}; it was cut off, so write or copy it again.`);
    let q = from;
    let negative = false;
    if (b[q] === 45 || b[q] === 43) negative = b[q++] === 45;
    let m = 0;
    let digits = 0;
    let scale = 0;
    while (isDigit(b[q])) {
      m = m * 10 + (b[q++] - 48);
      digits++;
    }
    if (b[q] === 46) {
      q++;
      while (isDigit(b[q])) {
        m = m * 10 + (b[q++] - 48);
        digits++;
        scale++;
      }
    }
    let slow = digits > 15;
    if (digits > 0 && (b[q] === 101 || b[q] === 69)) {
      slow = true;
      q++;
      if (b[q] === 45 || b[q] === 43) q++;
      while (isDigit(b[q])) q++;
    }
    if (digits === 0 || !this.ended(q)) {
      const shown = this.word();
      this.fail('BAD_NUMBER', `'${shown}' in ${what} is not a finite number; correct the line or write the file again.`);
    }
    this.pos = q;
    let x = slow ? Number(decodeUtf8(b, from, q)) : m / POW10[scale];
    if (negative && !slow) x = -x;
    if (!(Math.abs(x) <= LARGEST_SINGLE))
      this.fail(
        'BAD_NUMBER',
        `'${decodeUtf8(b, from, Math.min(q, from + SHOWN))}' in ${what} is beyond what a 32 bit float holds; correct the line or write the file again.`,
      );
    return x;
  }
}

/** Behind the last line end from `from` on that no backslash takes back; 0 where there is none. */
function lastLineEnd(bytes: Uint8Array, from: number): number {
  // never looks before `from`: a file without line ends would be gone through again for every piece
  const fresh = bytes.subarray(from);
  for (let at = fresh.lastIndexOf(NEWLINE); at >= 0; at = at === 0 ? -1 : fresh.lastIndexOf(NEWLINE, at - 1)) {
    const end = from + at;
    let before = end - 1;
    while (bytes[before] === 13) before--;
    if (bytes[before] !== BACKSLASH) return end + 1;
  }
  return 0;
}
