import type { EncodingSettings } from '@estampe/contracts';
import type { AxisOrder, Field, MapKind, RecordedFrame } from '@estampe/core';
import {
  axisLetters,
  countOf,
  mapFigures,
  encodingOf,
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
  RECORDED_FRAMES,
} from '@estampe/core';
import { browserZlib } from './browser-zlib';
import { lookAtRest } from './lens';
import { drawSwatch } from './swatch';
import { findMarks } from './marks';
import type { DepthFigures, FieldAnswers, FieldReply, FieldRequest, Histogram, LoadedField, Marks } from './field-messages';

const BARS = 240;
const BYTES = { 8: 1, 16: 2, half: 2, float: 4 } as const;

interface Kept {
  readonly field: Field;
  readonly kind: MapKind;
  readonly frame: RecordedFrame | null;
  readonly texelSizes: Float32Array | null;
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
  const said = file.record['kind'];
  const kind = MAP_KIND_NAMES.find((k) => k === said) ?? (channels === 3 ? 'normal' : 'scalar');
  const frame = RECORDED_FRAMES.find((f) => f === file.record['frame']) ?? null;
  kept.set(fieldId, { field, kind, frame, texelSizes: file.texelSizes });
  return { width, height, channels, kind, values, coverage, histogram: histogramOf(field) };
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

function figures(ids: readonly string[], encoding: EncodingSettings): DepthFigures {
  const parts = fieldsOf(ids).map(({ field, kind, frame, texelSizes }) => {
    const { encoding: core, convention } = encodingOf(encoding, frame);
    const own = mapFigures(field, fieldRecordOf({ kind, frame }), core, texelSizes, convention);
    return { inside: countOf(field.coverage, INSIDE), texels: field.values.length, figures: own };
  });
  const over = figuresOverTiles(parts);
  return {
    encoding,
    angles: 'restAngle' in over ? { rest: over.restAngle, rms: over.roundingAngle.rms, max: over.roundingAngle.max } : null,
    bytes: parts.reduce((n, p) => n + p.texels * BYTES[encoding.depth], 0),
    figures: over,
    clippedByTile: parts.map((p) => p.figures.clippedShare),
  };
}

/** Clipped texels are found in the order that the channels are stored in. */
function markTexels({ field, kind, frame }: Kept, encoding: EncodingSettings | null): Marks {
  if (encoding === null || holdsDirections(kind)) return findMarks(field, null);
  const { encoding: core, convention } = encodingOf(encoding, frame);
  return findMarks(hasAxes(kind) ? orderChannels(field, convention.axes) : field, core);
}

async function answer(request: FieldRequest): Promise<FieldAnswers[keyof FieldAnswers]> {
  switch (request.type) {
    case 'load':
      return load(request.fieldId, request.url);
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
      const [{ field, texelSizes }] = fieldsOf([request.fieldId]);
      return texelSizes === null || field.channels === 3 ? null : drawSwatch(field, texelSizes, request.encodings);
    }
    case 'lens':
      return lookAtRest(
        fieldsOf(request.fieldIds).map((k) => k.field),
        request.encoding,
      );
    case 'marks':
      return markTexels(fieldsOf([request.fieldId])[0], request.encoding);
  }
}

addEventListener('message', ({ data }: MessageEvent<FieldRequest>) => {
  answer(data).then(
    (value) => postMessage({ id: data.id, answer: value } satisfies FieldReply),
    (error: unknown) => postMessage({ id: data.id, message: error instanceof Error ? error.message : String(error) } satisfies FieldReply),
  );
});
