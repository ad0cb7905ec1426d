import type { EncodingSettings } from '@estampe/contracts';
import type { AxisOrder, Field, FieldSample, MapKind, RecordedFrame } from '@estampe/core';
import {
  axisLetters,
  countOf,
  mapFigures,
  encodingOf,
  fieldOfEnds,
  fieldRecordOf,
  figuresOverTiles,
  fitEncoding,
  hasAxes,
  holdsDirections,
  INSIDE,
  MAP_KIND_NAMES,
  orderChannels,
  parseAxes,
  parseFit,
  PLAIN_ORDER,
  readField,
  readSample,
  RECORDED_FRAMES,
  STRIP_ROWS,
} from '@estampe/core';
import { browserZlib } from './browser-zlib';
import { lookAtRest } from './lens';
import { drawSwatch } from './swatch';
import { MarkFinder } from './marks';
import { rowsAt } from './rows-from-server';
import type { DepthFigures, FieldAnswers, FieldReply, FieldRequest, Histogram, Lens, LoadedField, Marks } from './field-messages';

const BARS = 240;
const BYTES = { 8: 1, 16: 2, half: 2, float: 4 } as const;

interface Kept {
  readonly field: Field;
  readonly kind: MapKind;
  readonly frame: RecordedFrame | null;
  readonly texelSizes: Float32Array | null;
  /** What of it is here; null where it is all of it. */
  readonly sample: FieldSample | null;
  /** Texels of the whole field. */
  readonly texels: number;
}
const kept = new Map<string, Kept>();

async function load(fieldId: string, url: string): Promise<LoadedField> {
  const response = await fetch(url);
  if (!response.ok) throw new Error('The field could not be loaded from the server; load the page again.');
  const file = await readField(new Uint8Array(await response.arrayBuffer()), browserZlib);
  const { width, height, channels } = file.field;
  const values = new Float32Array(new SharedArrayBuffer(file.field.values.byteLength));
  values.set(file.field.values);
  const coverage = new Uint8Array(new SharedArrayBuffer(file.field.coverage.byteLength));
  coverage.set(file.field.coverage);
  const field: Field = { width, height, channels, values, coverage };
  const { kind, frame } = saidOf(file.record, channels);
  kept.set(fieldId, { field, kind, frame, texelSizes: file.texelSizes, sample: null, texels: width * height });
  return { width, height, channels, kind, values, coverage, histogram: histogramOf(field) };
}

async function loadSample({ fieldId, url, bytes, sample }: Extract<FieldRequest, { type: 'sample' }>): Promise<null> {
  if (kept.get(fieldId)?.sample === null) return null; // all of it is here
  const rows = await rowsAt(url, bytes);
  const field = await readSample(rows, sample);
  const { record, channels, texelSizes, width, height } = rows;
  kept.set(fieldId, { field, ...saidOf(record, channels), texelSizes, sample, texels: width * height });
  return null;
}

/** What the record of a field says of its kind; what it does not say follows from its channels. */
function saidOf(record: Readonly<Record<string, unknown>>, channels: 1 | 3): Pick<Kept, 'kind' | 'frame'> {
  const kind = MAP_KIND_NAMES.find((k) => k === record['kind']) ?? (channels === 3 ? 'normal' : 'scalar');
  return { kind, frame: RECORDED_FRAMES.find((f) => f === record['frame']) ?? null };
}

/** Heights, or all components of a direction together. */
function histogramOf({ values, coverage, channels }: Field): Histogram {
  let from = 0;
  let to = 0;
  for (let t = 0, i = 0; t < coverage.length; t++)
    for (let k = 0; k < channels; k++, i++) {
      if (coverage[t] !== INSIDE) continue;
      if (values[i] < from) from = values[i];
      if (values[i] > to) to = values[i];
    }
  if (from === to) [from, to] = [from - 0.5, to + 0.5];
  const counts = new Uint32Array(BARS);
  const scale = BARS / (to - from);
  for (let t = 0, i = 0; t < coverage.length; t++)
    for (let k = 0; k < channels; k++, i++)
      if (coverage[t] === INSIDE) counts[Math.min(BARS - 1, Math.floor((values[i] - from) * scale))]++;
  return { from, to, counts, total: channels * countOf(coverage, INSIDE) };
}

const orderOf = (axes: string, frame: string | null): AxisOrder => (axes === '' ? PLAIN_ORDER : parseAxes(axes, axisLetters(frame)));

function fieldsOf(ids: readonly string[]): Kept[] {
  return ids.map((id) => {
    const found = kept.get(id);
    if (found === undefined) throw new Error('The field is not loaded yet.');
    return found;
  });
}

/** Share of the fields' texels that is in memory. */
function shareHere(fields: readonly Kept[]): number {
  const [here, all] = fields.reduce(([h, a], { field, texels }) => [h + field.coverage.length, a + texels], [0, 0]);
  return Math.min(1, here / all);
}

const lens = (fields: readonly Kept[], encoding: EncodingSettings): Lens => lookAtRest(fields.map((k) => k.field), encoding, shareHere(fields)); // prettier-ignore

function figures(ids: readonly string[], encoding: EncodingSettings): DepthFigures {
  const found = fieldsOf(ids);
  const parts = found.map(({ field, kind, frame, texelSizes, texels }) => {
    const { encoding: core, convention } = encodingOf(encoding, frame);
    const own = mapFigures(field, fieldRecordOf({ kind, frame }), core, texelSizes, convention);
    const here = field.coverage.length;
    // tiles weigh by what they cover, however much of each is here
    return { inside: (countOf(field.coverage, INSIDE) * texels) / here, values: texels * field.channels, figures: own };
  });
  const over = figuresOverTiles(parts);
  return {
    encoding,
    angles: 'restAngle' in over ? { rest: over.restAngle, rms: over.roundingAngle.rms, max: over.roundingAngle.max } : null,
    bytes: parts.reduce((n, p) => n + p.values * BYTES[encoding.depth], 0),
    lookedAt: shareHere(found),
    figures: over,
    clippedByTile: parts.map((p) => p.figures.clippedShare),
  };
}

/** Fields that are read through come one after another, so that only strips of one are in memory. */
let before: Promise<unknown> = Promise.resolve();
function inTurn<T>(work: () => Promise<T>): Promise<T> {
  const mine = before.then(work);
  before = mine.catch(() => undefined);
  return mine;
}

/** Clipped texels are found in the order that the channels are stored in. */
async function markTexels({ fieldId, url, bytes, ofNote, ends, encoding }: Extract<FieldRequest, { type: 'marks' }>): Promise<Marks> {
  const here = kept.get(fieldId);
  const rows = here?.sample === null ? null : await rowsAt(url, bytes);
  const { width, height, channels } = rows ?? (here as Kept).field;
  const { kind, frame } = rows === null ? (here as Kept) : saidOf(rows.record, channels);
  const written = encoding === null || holdsDirections(kind) ? null : encodingOf(encoding, frame);
  const finder = (): MarkFinder => new MarkFinder(width, height, channels, written?.encoding ?? null);
  const stored = (field: Field): Field => (written !== null && hasAxes(kind) ? orderChannels(field, written.convention.axes) : field);
  const marks = finder();
  const clips = (): boolean =>
    finder()
      .add(stored(fieldOfEnds(ends, channels)), 0)
      .found().clipped > 0;
  if (ofNote === 0 && ends.length === channels && !clips()) return marks.found();
  if (rows === null) return marks.add(stored((here as Kept).field), 0).found();
  for (let y = 0; y < height; y += STRIP_ROWS) marks.add(stored(await rows.read(y, STRIP_ROWS)), y);
  return marks.found();
}

async function answer(request: FieldRequest): Promise<FieldAnswers[keyof FieldAnswers]> {
  switch (request.type) {
    case 'load':
      return load(request.fieldId, request.url);
    case 'sample':
      return loadSample(request);
    case 'forget':
      for (const id of request.fieldIds) kept.delete(id);
      return null;
    case 'fit': {
      const found = fieldsOf(request.fieldIds);
      const [{ kind, frame }] = found;
      const { depth, midpoint, each } = request;
      const axes = orderOf(request.axes, frame);
      const fitted = fitEncoding(found.map((k) => k.field), { kind, depth, fit: parseFit(request.fit), midpoint, scale: null, axes, each }); // prettier-ignore
      return { midpoint: fitted.midpoint, scale: fitted.scale, each: fitted.each ? [...fitted.each] : null };
    }
    case 'spread': {
      const [{ field, kind, frame }] = fieldsOf([request.fieldId]);
      return histogramOf(hasAxes(kind) ? orderChannels(field, orderOf(request.axes, frame)) : field);
    }
    case 'figures':
      return figures(request.fieldIds, request.encoding);
    case 'swatch': {
      const [{ field, texelSizes, sample }] = fieldsOf([request.fieldId]);
      return texelSizes === null || field.channels === 3 ? null : drawSwatch(field, texelSizes, request.encodings, sample);
    }
    case 'lens':
      return lens(fieldsOf(request.fieldIds), request.encoding);
    case 'marks':
      return inTurn(() => markTexels(request));
  }
}

addEventListener('message', ({ data }: MessageEvent<FieldRequest>) => {
  answer(data).then(
    (value) => postMessage({ id: data.id, answer: value } satisfies FieldReply),
    (error: unknown) => postMessage({ id: data.id, message: error instanceof Error ? error.message : String(error) } satisfies FieldReply),
  );
});
