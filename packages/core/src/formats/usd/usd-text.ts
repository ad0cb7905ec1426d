import { GrowableF64 } from '../../runtime/growable';
import type { RunControl } from '../../runtime/progress';
import { throwIfAborted } from '../../runtime/progress';
import { startsWith } from '../bytes';
import { isBlank, isDigit, NEWLINE, TextScanner } from '../text-scanner';
import type { UsdLayer, UsdPrim, UsdProperty, UsdValue } from './usd-layer';

const DEEPEST = 200;
const LONGEST_WORD = 4096;
const MARK = '#usda 1.0';
const code = (character: string): number => character.charCodeAt(0);
const [QUOTE, APOSTROPHE, HASH, AT, BACKSLASH] = ['"', "'", '#', '@', '\\'].map(code);
const [COMMA, PLUS, MINUS, POINT, COLON, SEMICOLON, EQUALS] = [',', '+', '-', '.', ':', ';', '='].map(code);
const [OPEN, CLOSE, LESS, GREATER] = ['(', ')', '<', '>'].map(code);
const [OPEN_LIST, CLOSE_LIST, OPEN_BRACE, CLOSE_BRACE] = ['[', ']', '{', '}'].map(code);
const [LETTER_I, LETTER_N] = ['i', 'n'].map(code);
const LIST_WORDS = new Set(['add', 'delete', 'prepend', 'append', 'reorder']);

export const isUsdText = (head: Uint8Array): boolean => startsWith(head, MARK);

/** Reads a layer of USD in its text form (Universal Scene Description, "usda" 1.0). Arrays of numbers become typed arrays as they are read.
 *  @throws InvalidInputError NOT_THIS_FORMAT, BAD_NUMBER, TRUNCATED with the line */
export function readUsdText(bytes: Uint8Array, control?: RunControl): UsdLayer {
  return new UsdTextReader(bytes, control).layer();
}

class UsdTextReader extends TextScanner {
  private depth = 0;
  private nextReport = 0;
  private readonly numbers = new GrowableF64();
  private readonly passedOver: string[] = [];

  constructor(
    b: Uint8Array,
    private readonly control: RunControl | undefined,
  ) {
    super(b, ',()[]{}=:;<>@"\'#');
  }

  layer(): UsdLayer {
    if (!isUsdText(this.b)) this.fail('NOT_THIS_FORMAT', `this is not USD text (it does not start with ${MARK}); write the mesh again.`);
    this.skipLine();
    const meta = this.peek() === OPEN ? this.metadata() : new Map<string, UsdValue>();
    const prims: UsdPrim[] = [];
    while (this.peek() !== -1) {
      const word = this.name();
      if (word === 'reorder') this.assignment();
      else prims.push(this.prim(word));
    }
    return { meta, prims, passedOver: this.passedOver };
  }

  /** The next byte that says something; -1 at the end. */
  private peek(): number {
    for (;;) {
      this.skipSpace();
      const c = this.b[this.pos];
      if (c === HASH) this.skipLine();
      else if (c === SEMICOLON) this.pos++;
      else return this.pos < this.b.length ? c : -1;
    }
  }

  private wrong(wanted: string): never {
    if (this.peek() === -1)
      this.fail('TRUNCATED', `this USD ends where it should have ${wanted}; it was cut off, so write or copy it again.`);
    const shown = this.word() || String.fromCharCode(this.b[this.pos]);
    this.fail('NOT_THIS_FORMAT', `'${shown}' stands where this USD should have ${wanted}; correct the line or write the file again.`);
  }

  private expect(byte: number): void {
    if (this.peek() !== byte) this.wrong(`'${String.fromCharCode(byte)}'`);
    this.pos++;
  }

  private took(byte: number): boolean {
    if (this.peek() !== byte) return false;
    this.pos++;
    return true;
  }

  /** A word that may hold colons and dots: a property, a type with its brackets is read by `type`. */
  private name(): string {
    this.peek();
    let out = this.word(LONGEST_WORD);
    while (this.b[this.pos] === COLON && out.length < LONGEST_WORD) {
      this.pos++;
      out += `:${this.word(LONGEST_WORD)}`;
    }
    return out === '' ? this.wrong('a name') : out;
  }

  private deeper<T>(read: () => T): T {
    if (++this.depth > DEEPEST) this.fail('TOO_LARGE', `this USD is nested more than ${DEEPEST} deep; write it flatter.`);
    const out = read();
    this.depth--;
    return out;
  }

  private prim(specifier: string): UsdPrim {
    if (specifier !== 'def' && specifier !== 'over' && specifier !== 'class')
      this.fail(
        'NOT_THIS_FORMAT',
        `'${specifier}' stands where this USD should have def, over or class; correct the line or write the file again.`,
      );
    const next = this.peek();
    const type = next === QUOTE || next === APOSTROPHE ? '' : this.name();
    const name = this.string();
    const meta = this.peek() === OPEN ? this.metadata() : new Map<string, UsdValue>();
    const properties = new Map<string, UsdProperty>();
    const children: UsdPrim[] = [];
    this.expect(OPEN_BRACE);
    this.deeper(() => {
      while (!this.took(CLOSE_BRACE)) this.item(properties, children);
    });
    return { specifier, type, name, meta, properties, children };
  }

  private item(properties: Map<string, UsdProperty>, children: UsdPrim[]): void {
    let word = this.name();
    if (word === 'def' || word === 'over' || word === 'class') {
      children.push(this.prim(word));
      return;
    }
    if (word === 'variantSet') {
      this.passedOver.push(`variants ${this.string()}`);
      this.expect(EQUALS);
      this.variants();
      return;
    }
    while (word === 'custom' || word === 'uniform' || word === 'varying' || word === 'config' || LIST_WORDS.has(word)) {
      const next = this.name();
      if (word === 'reorder' && this.peek() === EQUALS) {
        this.assignment();
        return;
      }
      word = next;
    }
    this.property(word, properties);
  }

  private property(type: string, properties: Map<string, UsdProperty>): void {
    const array = this.b[this.pos] === OPEN_LIST;
    if (array) {
      this.pos++;
      this.expect(CLOSE_LIST);
    }
    const full = this.name();
    const [name, suffix = ''] = full.split('.');
    let value: UsdValue = null;
    let sampled = false;
    if (this.took(EQUALS)) {
      if (suffix === 'timeSamples') {
        value = this.firstSample();
        sampled = true;
      } else value = this.value();
    }
    const meta = this.peek() === OPEN ? this.metadata() : new Map<string, UsdValue>();
    if (suffix !== '' && suffix !== 'timeSamples') return; // connections
    const known = properties.get(name);
    // a value of its own wins over samples
    if (known !== undefined && known.value !== null && (sampled || value === null)) return;
    properties.set(name, {
      type: array ? `${type}[]` : type,
      value,
      meta: known === undefined || meta.size > 0 ? meta : known.meta,
      sampled,
    });
  }

  private firstSample(): UsdValue {
    this.expect(OPEN_BRACE);
    let first: UsdValue | undefined;
    while (!this.took(CLOSE_BRACE)) {
      this.peek();
      this.numberHere('a time');
      if (this.b[this.pos] !== COLON) this.wrong("':'");
      this.pos++;
      const value = this.value();
      first ??= value;
      this.took(COMMA);
    }
    return first ?? null;
  }

  private variants(): void {
    this.expect(OPEN_BRACE);
    this.deeper(() => {
      while (!this.took(CLOSE_BRACE)) {
        this.string();
        if (this.peek() === OPEN) this.metadata();
        this.expect(OPEN_BRACE);
        const [properties, children] = [new Map<string, UsdProperty>(), [] as UsdPrim[]];
        while (!this.took(CLOSE_BRACE)) this.item(properties, children);
      }
    });
  }

  private metadata(): Map<string, UsdValue> {
    const out = new Map<string, UsdValue>();
    this.expect(OPEN);
    this.deeper(() => {
      while (!this.took(CLOSE)) {
        const c = this.peek();
        if (c === QUOTE || c === APOSTROPHE) {
          out.set('doc', this.string());
          continue;
        }
        let name = this.name();
        if (LIST_WORDS.has(name)) name = this.name();
        // dictionary-like entries name their type first
        if (this.peek() !== EQUALS) name = this.name();
        this.expect(EQUALS);
        out.set(name, this.value());
      }
    });
    return out;
  }

  private assignment(): void {
    if (this.peek() !== EQUALS) this.name();
    this.expect(EQUALS);
    this.value();
  }

  private value(): UsdValue {
    const c = this.peek();
    if (c === OPEN_LIST) return this.list();
    if (c === OPEN) return this.tuple();
    if (c === OPEN_BRACE) return this.dictionary();
    if (c === QUOTE || c === APOSTROPHE) return this.string();
    if (c === AT || c === LESS) return this.reference();
    if (c === MINUS || c === PLUS || c === POINT || isDigit(c)) return this.number();
    const word = this.name();
    if (word === 'None') return null;
    if (word === 'true' || word === 'false') return word === 'true';
    if (word === 'inf' || word === 'nan')
      return this.fail('BAD_NUMBER', `${word} is not a finite number; correct the line or write the file again.`);
    return word;
  }

  /** A number of 64 bits: more than a point may be. */
  private number(): number {
    return this.numberHere('a value');
  }

  /** What the numbers of one array are gathered in: files have hundreds of thousands of small ones. */
  private emptied(): GrowableF64 {
    this.numbers.length = 0;
    return this.numbers;
  }

  private tuple(): UsdValue {
    const numbers = this.emptied();
    this.numbersInto(numbers, OPEN, CLOSE);
    const found = numbers.finish().slice();
    return { numbers: found, width: found.length };
  }

  /** Numbers between two brackets, however they are grouped in between. @returns how many each inner bracket held */
  private numbersInto(numbers: GrowableF64, open: number, close: number): number {
    this.expect(open);
    let depth = 1;
    let inner = 0;
    let since = 0;
    while (depth > 0) {
      if (this.pos >= this.nextReport) {
        throwIfAborted(this.control);
        this.control?.onProgress?.(this.pos / this.b.length, 'reading');
        this.nextReport = this.pos + (1 << 22);
      }
      const c = this.b[this.pos];
      if (c === COMMA || c === 32) this.pos++;
      else if (c === OPEN) {
        this.pos++;
        since = numbers.length;
        if (++depth > 4) this.wrong('a number');
      } else if (c === CLOSE || c === close) {
        this.pos++;
        if (depth === 2) inner = numbers.length - since;
        depth--;
      } else if (c === NEWLINE || isBlank(c) || c === HASH) {
        if (this.peek() === -1) this.wrong('a number');
      } else {
        if (this.pos >= this.b.length) this.wrong('a number');
        if (c === LETTER_I || c === LETTER_N)
          this.fail('BAD_NUMBER', `${this.word()} is not a finite number; correct the line or write the file again.`);
        numbers.push(this.numberHere('an array'));
      }
    }
    return inner;
  }

  private list(): UsdValue {
    const at = this.pos;
    this.expect(OPEN_LIST);
    const c = this.peek();
    if (c === CLOSE_LIST) {
      this.pos++;
      return { numbers: new Float64Array(0), width: 1 };
    }
    if (c === OPEN || c === MINUS || c === POINT || isDigit(c)) {
      this.pos = at;
      const numbers = this.emptied();
      const width = this.numbersInto(numbers, OPEN_LIST, CLOSE_LIST);
      return { numbers: numbers.finish().slice(), width: width || 1 };
    }
    const out: string[] = [];
    this.deeper(() => {
      while (!this.took(CLOSE_LIST)) {
        const value = this.value();
        out.push(typeof value === 'string' ? value : '');
        if (!this.took(COMMA) && this.peek() !== CLOSE_LIST) this.wrong("']'");
      }
    });
    return out;
  }

  private dictionary(): UsdValue {
    const entries = new Map<string, UsdValue>();
    this.expect(OPEN_BRACE);
    this.deeper(() => {
      while (!this.took(CLOSE_BRACE)) {
        if (this.took(COMMA)) continue;
        let key = '';
        while (this.peek() !== EQUALS) {
          const c = this.peek();
          if (c === OPEN_LIST) {
            this.pos++;
            this.expect(CLOSE_LIST);
          } else key = c === QUOTE || c === APOSTROPHE ? this.string() : this.name();
        }
        this.expect(EQUALS);
        entries.set(key, this.value());
      }
    });
    return { entries };
  }

  /** `@file@</path> (offset = 1)`, as one string. */
  private reference(): string {
    let out = '';
    for (let c = this.peek(); c === AT || c === LESS; c = this.peek()) {
      const triple = c === AT && this.b[this.pos + 1] === AT && this.b[this.pos + 2] === AT;
      const from = this.pos;
      this.pos += triple ? 3 : 1;
      const end = c === LESS ? GREATER : AT;
      const ended = (): boolean => this.b[this.pos] === end && (!triple || (this.b[this.pos + 1] === AT && this.b[this.pos + 2] === AT));
      while (!ended()) {
        if (this.pos >= this.b.length || this.b[this.pos] === NEWLINE) this.wrong('the end of a path');
        this.pos++;
      }
      this.pos += triple ? 3 : 1;
      out += this.textOf(from, this.pos);
    }
    if (this.peek() === OPEN) this.metadata();
    return out;
  }

  private string(): string {
    const quote = this.peek();
    if (quote !== QUOTE && quote !== APOSTROPHE) this.wrong('a string');
    const { b } = this;
    const triple = b[this.pos + 1] === quote && b[this.pos + 2] === quote;
    this.pos += triple ? 3 : 1;
    const from = this.pos;
    for (;;) {
      const c = b[this.pos];
      if (this.pos >= b.length) this.wrong('the end of a string');
      if (c === NEWLINE) {
        if (!triple) this.wrong('the end of a string');
        this.line++;
      }
      if (c === quote && (!triple || (b[this.pos + 1] === quote && b[this.pos + 2] === quote))) break;
      this.pos += c === BACKSLASH ? 2 : 1;
    }
    const out = this.textOf(from, this.pos);
    this.pos += triple ? 3 : 1;
    return out.replaceAll(/\\(.)/gs, (_, c: string) => (c === 'n' ? '\n' : c === 't' ? '\t' : c));
  }
}
