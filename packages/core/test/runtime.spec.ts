import type { Kernel } from '../src';
import { CancelledError, EstampeError, inlineThreads, InvalidInputError, rebuildError, subProgress, throwIfAborted, toErrorRecord } from '../src'; // prettier-ignore
import { ByteWriter, decodeUtf8, GrowableF32, GrowableU32 } from '../src/runtime/growable';
import { checkRange, resolveOptions } from '../src/runtime/options';
import { TopologyError, UnsupportedError } from '../src/runtime/errors';

describe('errors', () => {
  const made = [
    new InvalidInputError('BAD_NUMBER', 'x is not a number.', { line: 7, vertex: 3 }),
    new TopologyError('BAD_TOPOLOGY', 'three faces on one edge.', { face: 2 }),
    new UnsupportedError('UNSUPPORTED', 'tiled files are not read.'),
    new CancelledError(),
  ];

  it('keep class, code and place across the edge of a thread, where only plain values pass', () => {
    for (const error of made) {
      const back = rebuildError(structuredClone(toErrorRecord(error)));
      expect(back).toBeInstanceOf(error.constructor);
      expect(back).toMatchObject({ name: error.name, code: error.code, message: error.message, where: error.where });
    }
  });

  it('are told in which file and line they happened, without losing what they were', () => {
    const [bad, , unsupported, cancelled] = made.map((e) => e.inFile('bell.obj'));
    expect([bad.message, bad.where]).toEqual(['bell.obj:7: x is not a number.', { line: 7, vertex: 3, file: 'bell.obj' }]);
    expect(unsupported).toBeInstanceOf(UnsupportedError);
    expect(unsupported.message).toBe('bell.obj: tiled files are not read.');
    expect(cancelled.code).toBe('CANCELLED');
  });

  it('hold nothing that a database refuses or a terminal obeys, whatever a file said', () => {
    const told = new InvalidInputError('BAD_NUMBER', "'1\u0000\u001b[2J\ud800\n' is not a number.").inFile('a\u0007.obj');
    expect(told.message).toBe("a\ufffd.obj: '1\ufffd\ufffd[2J\ufffd\n' is not a number.");
  });

  it('of any other kind pass as errors without a code, whatever was thrown', () => {
    const fault = toErrorRecord(new RangeError('index 9'));
    expect(fault).toMatchObject({ name: 'RangeError', code: null, message: 'index 9', where: {} });
    const back = rebuildError(fault);
    expect(back).not.toBeInstanceOf(EstampeError);
    expect(back.stack).toBe(fault.stack); // where it really happened
    expect(toErrorRecord('just words')).toMatchObject({ code: null, message: 'just words' });
    expect(rebuildError({ name: 'Error', code: null, message: 'bare', where: {} }).message).toBe('bare');
  });
});

describe('options', () => {
  const defaults = { size: 2048, match: 'auto', reach: null as number | null };
  it('stand over defaults, which nobody can change by them', () => {
    const given = { size: 512, match: undefined };
    const resolved = resolveOptions('extract', defaults, given as never);
    expect(resolved).toEqual({ size: 512, match: 'auto', reach: null });
    expect(defaults.size).toBe(2048);
    expect(given).toEqual({ size: 512, match: undefined });
    expect(resolveOptions('extract', defaults)).not.toBe(defaults);
  });

  it('that are misspelt are refused by name', () => {
    expect(() => resolveOptions('extract', defaults, { sise: 3 } as never)).toThrow("extract has no option 'sise'.");
  });

  it.each([
    [3, false, 3],
    [2.5, false, 2.5],
    [1, false, 1],
    [4, false, 4],
    [0.999, false, null],
    [4.001, false, null],
    [NaN, false, null],
    [2.5, true, null],
    [2, true, 2],
  ])('%j in the range 1 to 4 (whole: %j) gives %j', (value, whole, result) => {
    if (result === null) expect(() => checkRange('samples', value, 1, 4, whole)).toThrow(/samples is .*from 1 to 4/);
    else expect(checkRange('samples', value, 1, 4, whole)).toBe(result);
  });
});

describe('progress and the end of work', () => {
  it('of a part is a stretch of the whole, and its stop is the stop of the whole', () => {
    const told: [number, string][] = [];
    const signal = { aborted: false };
    const inner = subProgress(subProgress({ signal, onProgress: (f, s) => told.push([f, s]) }, 0.5, 1), 0, 0.5);
    inner.onProgress?.(0, 'reading');
    inner.onProgress?.(1, 'reading');
    expect(told).toEqual([
      [0.5, 'reading'],
      [0.75, 'reading'],
    ]);
    expect(() => throwIfAborted(inner)).not.toThrow();
    signal.aborted = true;
    expect(() => throwIfAborted(inner)).toThrow(CancelledError);
    expect(subProgress(undefined, 0, 1)).toEqual({});
    expect(() => throwIfAborted(undefined)).not.toThrow();
  });
});

describe('arrays that grow', () => {
  it('hold what was pushed, far beyond their first size, and end as arrays of exactly that', () => {
    const [floats, whole] = [new GrowableF32(), new GrowableU32()];
    for (let i = 0; i < 10_000; i++) {
      floats.push(i / 4);
      whole.push(0xffffffff - i);
    }
    expect(floats.finish()).toEqual(Float32Array.from({ length: 10_000 }, (_, i) => i / 4));
    expect(whole.finish()).toEqual(Uint32Array.from({ length: 10_000 }, (_, i) => 0xffffffff - i));
    expect(new GrowableF32().finish()).toHaveLength(0);
  });

  it('write text as the platform does, in every width of UTF-8, and read it back', () => {
    const text = `v 1.5 -2e-3 # façade – ½ 漢字 𝄞 ${'x'.repeat(70_000)}`;
    const writer = new ByteWriter();
    writer.text(text);
    writer.bytes(Uint8Array.of(10));
    writer.byte(0x41);
    const bytes = writer.finish();
    expect(Buffer.compare(bytes, Buffer.from(`${text}\nA`, 'utf8'))).toBe(0);
    expect(decodeUtf8(bytes)).toBe(`${text}\nA`);
    expect(decodeUtf8(bytes, 2, 5)).toBe('1.5');
  });

  it('read bytes that are no text without failing, each with the mark for it', () => {
    expect(decodeUtf8(Uint8Array.of(0x61, 0x80, 0x62))).toBe('a\ufffdb');
    expect(decodeUtf8(Uint8Array.of(0xf7, 0xbf, 0xbf, 0xbf))).toBe('\ufffd'); // beyond the last character
  });
});

it("tasks on the caller's own thread tell what others can go on with before they end, and get tasks for it", async () => {
  const heard: unknown[] = [];
  const tasks = ['first'];
  const telling: Kernel<null, string, string> = {
    name: 'telling',
    run(_, task, tell) {
      if (task === 'first') tell?.('half of first');
      return task;
    },
  };
  await inlineThreads.run(telling, null, tasks, (result, i) => {
    heard.push([result, i]);
    if (result === 'half of first') tasks.push('second');
  });
  expect(heard).toEqual([['half of first', 0], ['first', 0], ['second', 1]]); // prettier-ignore
});

it("tasks on the caller's own thread let a cancel through", async () => {
  const signal = { aborted: false };
  setTimeout(() => (signal.aborted = true), 1);
  const busy = { name: 'busy', run: () => { const until = Date.now() + 30; while (Date.now() < until); return 0; } }; // prettier-ignore
  let done = 0;
  const all = inlineThreads.run(busy, {}, Array.from({ length: 50 }), () => done++, { signal });
  await expect(all).rejects.toThrow(CancelledError);
  expect(done).toBeLessThan(10);
});
