import type { EncodingSettings } from '@estampe/contracts';
import type { EncodingFigures, Field, Zlib } from '@estampe/core';
import { encodeField, fitRange, INSIDE, parseFit, readField } from '@estampe/core';
import type { DepthFigures, FieldAnswers, FieldReply, FieldRequest, Histogram, LoadedField } from './field-messages';

const BARS = 240;
const BYTES = { 8: 1, 16: 2, half: 2, float: 4 } as const;

interface Kept {
  readonly field: Field;
  readonly texelSizes: Float32Array | null;
}
const kept = new Map<string, Kept>();

const pipe = async (data: Uint8Array, stream: CompressionStream | DecompressionStream): Promise<Uint8Array> =>
  new Uint8Array(await new Response(new Blob([data as BlobPart]).stream().pipeThrough(stream)).arrayBuffer());

/** The core's deflate port in a browser. */
const browserZlib: Zlib = {
  deflate: (data) => pipe(data, new CompressionStream('deflate')),
  inflate: (data) => pipe(data, new DecompressionStream('deflate')),
};

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
  kept.set(fieldId, { field, texelSizes: file.texelSizes });
  return { width, height, values, coverage, histogram: histogramOf(field) };
}

function histogramOf({ values, coverage }: Field): Histogram {
  let from = 0;
  let to = 0;
  for (let i = 0; i < values.length; i++) {
    if (coverage[i] !== INSIDE) continue;
    if (values[i] < from) from = values[i];
    if (values[i] > to) to = values[i];
  }
  if (from === to) [from, to] = [from - 0.5, to + 0.5];
  const counts = new Uint32Array(BARS);
  let total = 0;
  for (let i = 0; i < values.length; i++) {
    if (coverage[i] !== INSIDE) continue;
    counts[Math.min(BARS - 1, Math.floor(((values[i] - from) / (to - from)) * BARS))]++;
    total++;
  }
  return { from, to, counts, total };
}

function fieldsOf(ids: readonly string[]): Kept[] {
  return ids.map((id) => {
    const found = kept.get(id);
    if (found === undefined) throw new Error('The field is not loaded yet.');
    return found;
  });
}

/** Several tiles as one tall field: fits look at values only. */
function joined(all: readonly Kept[]): Field {
  if (all.length === 1) return all[0].field;
  const width = all[0].field.width;
  const height = all.reduce((n, { field }) => n + field.height, 0);
  const values = new Float32Array(width * height);
  const coverage = new Uint8Array(width * height);
  let at = 0;
  for (const { field } of all) {
    values.set(field.values, at);
    coverage.set(field.coverage, at);
    at += field.coverage.length;
  }
  return { width, height, channels: 1, values, coverage };
}

function figures(ids: readonly string[], encoding: EncodingSettings): DepthFigures {
  const parts = fieldsOf(ids).map(({ field, texelSizes }) => {
    let inside = 0;
    for (const c of field.coverage) if (c === INSIDE) inside++;
    return { inside, texels: field.coverage.length, figures: encodeField(field, encoding, texelSizes).figures };
  });
  const total = Math.max(1, parts.reduce((n, p) => n + p.inside, 0)); // prettier-ignore
  const share = (of: (f: EncodingFigures) => number): number => parts.reduce((s, p) => s + of(p.figures) * p.inside, 0) / total;
  return {
    encoding,
    bytes: parts.reduce((n, p) => n + p.texels * BYTES[encoding.depth], 0),
    figures: {
      step: Math.max(...parts.map((p) => p.figures.step)),
      restError: parts[0].figures.restError,
      clippedShare: share((f) => f.clippedShare),
      terracedShare: parts.some((p) => p.figures.terracedShare === null) ? null : share((f) => f.terracedShare ?? 0),
      roundingRms: Math.sqrt(share((f) => f.roundingRms ** 2)),
      min: Math.min(...parts.map((p) => p.figures.min ?? Infinity)),
      max: Math.max(...parts.map((p) => p.figures.max ?? -Infinity)),
    },
  };
}

async function answer(request: FieldRequest): Promise<FieldAnswers[keyof FieldAnswers]> {
  if (request.type === 'load') return load(request.fieldId, request.url);
  if (request.type === 'fit') return fitRange(joined(fieldsOf(request.fieldIds)), request.depth, parseFit(request.fit), request.midpoint);
  return figures(request.fieldIds, request.encoding);
}

addEventListener('message', ({ data }: MessageEvent<FieldRequest>) => {
  answer(data).then(
    (value) => postMessage({ id: data.id, answer: value } satisfies FieldReply),
    (error: unknown) => postMessage({ id: data.id, message: error instanceof Error ? error.message : String(error) } satisfies FieldReply),
  );
});
