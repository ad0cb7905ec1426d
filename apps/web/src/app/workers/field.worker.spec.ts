/**
 * @jest-environment node
 */
import { deflateSync, inflateSync } from 'node:zlib';
import type { EncodingSettings } from '@estampe/contracts';
import type { Field, Zlib } from '@estampe/core';
import { INSIDE, MISSED, TEXEL_GRID, fieldRecordOf, writeField } from '@estampe/core';
import { sampleEncoding } from '../../../test/samples';
import type { DepthFigures, FieldAnswers, FieldReply, FieldRequest, Histogram, LoadedField, Marks, Swatch } from './field-messages';

const SIDE = 16;
const zlib: Zlib = {
  deflate: (data) => Promise.resolve(new Uint8Array(deflateSync(data))),
  inflate: (data) => Promise.resolve(new Uint8Array(inflateSync(data))),
};
/** From -1 to 1 over the tile, row by row; the last row is missed. */
const ramp = (channels: 1 | 3): Field => ({
  width: SIDE,
  height: SIDE,
  channels,
  values: Float32Array.from({ length: channels * SIDE * SIDE }, (_, i) => {
    const t = -1 + (2 * Math.floor(i / channels)) / (SIDE * SIDE - 1);
    return channels === 1 ? t : [t, 0.5 * t, 0][i % channels];
  }),
  coverage: Uint8Array.from({ length: SIDE * SIDE }, (_, i) => (i < SIDE * (SIDE - 1) ? INSIDE : MISSED)),
});
const urlOf = (id: string): string => `/api/fields/${id}/data`;
const files = new Map<string, Uint8Array>();
const store = async (id: string, field: Field, change: Partial<Parameters<typeof fieldRecordOf>[0]>): Promise<void> => {
  const sizes = new Float32Array(TEXEL_GRID * TEXEL_GRID).fill(0.5);
  files.set(urlOf(id), await writeField(field, fieldRecordOf({ kind: 'scalar', ...change }), sizes, zlib));
};

const asked: string[] = [];
let heard: (event: { data: FieldRequest }) => void = () => undefined;
const replies = new Map<number, (reply: FieldReply) => void>();
let nextId = 1;
/** Asks as the page does: a numbered message, answered by one of the same number. */
function ask<K extends keyof FieldAnswers>(request: Omit<Extract<FieldRequest, { type: K }>, 'id'>): Promise<FieldAnswers[K]> {
  const id = nextId++;
  return new Promise((resolve, reject) => {
    replies.set(id, (reply) => {
      if ('message' in reply) reject(new Error(reply.message));
      else resolve(reply.answer as FieldAnswers[K]);
    });
    heard({ data: { ...request, id } as unknown as FieldRequest });
  });
}

beforeAll(async () => {
  Object.assign(globalThis, {
    addEventListener: (_type: string, listener: typeof heard) => (heard = listener),
    postMessage: (reply: FieldReply) => replies.get(reply.id)?.(reply),
    fetch: (url: string) => {
      asked.push(url);
      const body = files.get(url);
      return Promise.resolve(body ? new Response(body as Uint8Array<ArrayBuffer>) : new Response('', { status: 404 }));
    },
  });
  await store('heights', ramp(1), { kind: 'scalar' });
  await store('more', { ...ramp(1), values: ramp(1).values.map((x) => 3 * x) }, { kind: 'scalar' });
  await store('vectors', ramp(3), { kind: 'vector', frame: 'derivative' });
  await store('normals', { ...ramp(3), values: ramp(3).values.map((_, i) => (i % 3 === 2 ? 1 : 0)) }, { kind: 'normal', frame: 'mikk' });
  await import('./field.worker');
});
const load = (id: string): Promise<LoadedField> => ask<'load'>({ type: 'load', fieldId: id, url: urlOf(id) });

describe('the worker of the fields', () => {
  it('reads a field into memory that both sides see, with the spread of what was measured', async () => {
    const field = await load('heights');
    expect(field).toMatchObject({ width: SIDE, height: SIDE, channels: 1, kind: 'scalar' });
    expect(field.values.buffer).toBeInstanceOf(SharedArrayBuffer);
    expect([...field.values]).toEqual([...ramp(1).values]);
    const { from, to, counts, total } = field.histogram;
    expect([from, total]).toEqual([-1, SIDE * (SIDE - 1)]);
    expect(to).toBeCloseTo(-1 + (2 * (SIDE * (SIDE - 1) - 1)) / (SIDE * SIDE - 1));
    expect(counts.reduce((a, b) => a + b)).toBe(total);
    expect((await load('vectors')).kind).toBe('vector');
  });

  it('says in a sentence what cannot be loaded, and what to load first', async () => {
    await expect(load('gone')).rejects.toThrow('The field could not be loaded from the server; load the page again.');
    await expect(ask<'figures'>({ type: 'figures', fieldIds: ['unloaded'], encoding: sampleEncoding() })).rejects.toThrow('not loaded');
    await expect(
      ask<'fit'>({ type: 'fit', fieldIds: ['heights'], depth: '16', fit: 'clip:9', midpoint: null, axes: '', each: false }),
    ).rejects.toThrow(/clip/);
  });

  it('fits one range over all tiles, and a range a channel in the order that is stored', async () => {
    await load('more');
    const wish = { type: 'fit', depth: '16', fit: 'symmetric', midpoint: null, axes: '', each: false } as const;
    const one = await ask<'fit'>({ ...wish, fieldIds: ['heights'] });
    const both = await ask<'fit'>({ ...wish, fieldIds: ['heights', 'more'] });
    expect(both.scale / one.scale).toBeCloseTo(3, 3);
    expect(both.midpoint).toBeCloseTo(32768 / 65535, 9);
    await load('vectors');
    const { each } = await ask<'fit'>({ ...wish, fit: 'full', fieldIds: ['vectors'], axes: 'R=+N G=-U B=+V', each: true });
    const widths = (each ?? []).map((range) => range.scale);
    expect(widths[1] / widths[2]).toBeCloseTo(2, 3); // U spans twice what V does
    expect(widths[0]).toBe(1); // nothing along N: any range holds it
  });

  it('spreads the channels as they are stored: a sign turns the spread round', async () => {
    const plain = await ask<'spread'>({ type: 'spread', fieldId: 'vectors', axes: 'R=+U G=+V B=+N' });
    const turned = await ask<'spread'>({ type: 'spread', fieldId: 'vectors', axes: 'R=-U G=-V B=+N' });
    expect([turned.from, turned.to]).toEqual([-plain.to, -plain.from]);
    expect(plain.total).toBe(3 * SIDE * (SIDE - 1));
  });

  it('weighs figures of several tiles by what they cover, and takes the worst of ends and steps', async () => {
    const encoding: EncodingSettings = sampleEncoding({ depth: '8', midpoint: 0.5, scale: 2 });
    const of = (ids: string[]): Promise<DepthFigures> => ask<'figures'>({ type: 'figures', fieldIds: ids, encoding });
    const [small, large, both] = [await of(['heights']), await of(['more']), await of(['heights', 'more'])];
    expect(small.figures.clippedShare).toBe(0);
    expect(large.figures.clippedShare).toBeGreaterThan(0.6);
    expect(both.figures.clippedShare).toBeCloseTo(large.figures.clippedShare / 2, 9);
    expect(both.figures.roundingRms ** 2).toBeCloseTo((small.figures.roundingRms ** 2 + large.figures.roundingRms ** 2) / 2, 12);
    expect(both.figures.min).toBe(large.figures.min);
    expect(both.bytes).toBe(2 * SIDE * SIDE);
    expect(small.angles).toBeNull();
  });

  it('tells angles of a normal map: at rest and by rounding', async () => {
    await load('normals');
    const eight = await ask<'figures'>({ type: 'figures', fieldIds: ['normals'], encoding: sampleEncoding({ depth: '8' }) });
    const float = await ask<'figures'>({ type: 'figures', fieldIds: ['normals'], encoding: sampleEncoding({ depth: 'float' }) });
    expect(eight.angles?.rest).toBeGreaterThan(0.1); // no code of eight bits is exactly nought
    expect(float.angles?.rest).toBeCloseTo(0, 6);
    expect(eight.angles?.max).toBeGreaterThan((eight.angles?.rms ?? Infinity) - 1e-9);
  });

  it('marks what is missed, and what a range cuts off of the channel that holds it', async () => {
    const marks = (id: string, encoding: EncodingSettings | null): Promise<Marks> =>
      ask<'marks'>({ type: 'marks', fieldId: id, url: urlOf(id), bytes: files.get(urlOf(id))?.length ?? 0, ofNote: 1, ends: [], encoding });
    expect(await marks('heights', null)).toMatchObject({ missed: SIDE, clipped: 0 });
    const narrow = sampleEncoding({ depth: '16', midpoint: 0, scale: 0.25 });
    const { clipped } = await marks('heights', narrow);
    const { values, coverage } = ramp(1);
    const outside = values.filter((x, i) => coverage[i] === INSIDE && (x < -1e-5 || x > 0.25 + 1e-5)).length;
    expect(clipped).toBe(outside);
    // U stored in green by its opposite sign
    const wide = { midpoint: 0.5, scale: 10 };
    const axes = 'R=+N G=-U B=+V';
    const vector = await marks('vectors', sampleEncoding({ axes, each: [wide, { midpoint: 0, scale: 0.25 }, wide] }));
    expect(vector.clipped).toBe(values.filter((x, i) => coverage[i] === INSIDE && (-x < -1e-5 || -x > 0.25 + 1e-5)).length);
    expect((await marks('normals', narrow)).clipped).toBe(0); // directions always fit
  });

  it('reads a field through for its marks only where something of note can be in it', async () => {
    const request = { type: 'marks', fieldId: 'unloaded', url: urlOf('sums'), ofNote: 0, encoding: null } as const;
    const height = 4 * SIDE;
    const values = Float32Array.from({ length: 3 * SIDE * height }, (_, i) => Math.sin(i * i)); // noise, so that the file is larger than its head
    await store('sums', { width: SIDE, height, channels: 3, values, coverage: new Uint8Array(SIDE * height).fill(INSIDE) }, { kind: 'vector', frame: 'derivative' }); // prettier-ignore
    const bytes = files.get(urlOf('sums'))?.length ?? 0;
    const ends = [-1, -1, -1].map((min) => ({ min, max: 1 }));
    const encoding = sampleEncoding({ depth: '16', midpoint: 0.5, scale: 4 });
    asked.length = 0;
    expect(await ask<'marks'>({ ...request, bytes, ends, encoding })).toMatchObject({ missed: 0, clipped: 0 });
    expect(asked).toHaveLength(1);
    expect((await ask<'marks'>({ ...request, bytes, ends, encoding: { ...encoding, scale: 1 } })).clipped).toBeGreaterThan(100);
    expect(asked.length).toBeGreaterThan(2);
    asked.length = 0;
    await ask<'marks'>({ ...request, bytes, ends, encoding, ofNote: 3 });
    expect(asked.length).toBeGreaterThan(1);
  });

  it('draws a swatch of heights, and none of vectors', async () => {
    const swatch = (id: string): Promise<Swatch | null> => ask<'swatch'>({ type: 'swatch', fieldId: id, encodings: [sampleEncoding()] });
    expect((await swatch('heights'))?.pictures).toHaveLength(1);
    expect(await swatch('vectors')).toBeNull();
    const lens = await ask<'lens'>({ type: 'lens', fieldIds: ['heights', 'more'], encoding: sampleEncoding() });
    expect(lens.step).toBeCloseTo(4 / 65535, 9);
    const flat: Histogram = (await load('normals')).histogram;
    expect(flat.to).toBe(1);
  });
});
