import type { Field, FieldRows, Pyramid } from '@estampe/core';
import { BLOCK_SIDE, cutField, readPyramidBlock, readPyramidHead } from '@estampe/core';
import type { Block, BlockAnswers, BlockReply, BlockRequest, OpenedField, TexelRead } from './block-messages';
import { browserZlib } from './browser-zlib';
import { part, rowsAt } from './rows-from-server';

/** Rows of the field that are read for the texel under the pointer: as many as its file packs together. */
const PACKED_ROWS = 16;
/** The head of the pictures and, mostly, the coarsest of them. */
const FIRST_BYTES = 320 * 1024;
/** Strips of the field itself that stay in memory; the oldest goes first. */
const KEPT_STRIPS = 6;

interface Opened {
  readonly picturesUrl: string;
  readonly pyramid: Pyramid;
  /** Opened by the first who comes near enough to need the field itself. */
  readonly rows: () => Promise<FieldRows>;
  /** By first row and count. */
  readonly strips: Map<string, Promise<Field>>;
}
const opened = new Map<string, Opened>();

async function open(request: Extract<BlockRequest, { type: 'open' }>): Promise<OpenedField> {
  const { fieldId, picturesUrl, dataUrl, bytes } = request;
  const first = await part(picturesUrl, 0, FIRST_BYTES);
  const pyramid = readPyramidHead(first);
  const whole = pyramid.levels[pyramid.levels.length - 1];
  const end = pyramid.offsets[1];
  const picture = readPyramidBlock(pyramid, whole, 0, 0, end <= first.length ? first.subarray(pyramid.offsets[0], end) : await part(picturesUrl, pyramid.offsets[0], end), browserZlib); // prettier-ignore
  let known: Promise<FieldRows> | null = null;
  const rows = (): Promise<FieldRows> => (known ??= rowsAt(dataUrl, bytes));
  opened.set(fieldId, { picturesUrl, pyramid, rows, strips: new Map() });
  const { width, height, channels, levels } = pyramid;
  const own = { columns: Math.ceil(width / BLOCK_SIDE), rows: Math.ceil(height / BLOCK_SIDE) };
  return {
    width,
    height,
    channels,
    picture: await picture,
    levels: [own, ...levels.map(({ columns, rows: n }) => ({ columns, rows: n }))],
  };
}

function fieldOf(fieldId: string): Opened {
  const found = opened.get(fieldId);
  if (found === undefined) throw new Error('The field is not open yet.');
  return found;
}

async function strip({ rows, strips }: Opened, first: number, count: number): Promise<Field> {
  const key = `${first} ${count}`;
  let found = strips.get(key);
  if (found === undefined) {
    found = rows().then((r) => r.read(first, count));
    found.catch(() => strips.delete(key));
    strips.set(key, found);
    if (strips.size > KEPT_STRIPS) strips.delete([...strips.keys()][0]);
  }
  return found;
}

async function block({ fieldId, level, x, y }: Extract<BlockRequest, { type: 'block' }>): Promise<Block> {
  const field = fieldOf(fieldId);
  if (level === 0) return cutField(await strip(field, y * BLOCK_SIDE, BLOCK_SIDE), x * BLOCK_SIDE, 0, BLOCK_SIDE);
  const { pyramid, picturesUrl } = field;
  const own = pyramid.levels[level - 1];
  const i = own.first + y * own.columns + x;
  return readPyramidBlock(pyramid, own, x, y, await part(picturesUrl, pyramid.offsets[i], pyramid.offsets[i + 1]), browserZlib);
}

async function texel({ fieldId, x, y }: Extract<BlockRequest, { type: 'texel' }>): Promise<TexelRead> {
  const first = Math.floor(y / PACKED_ROWS) * PACKED_ROWS;
  const { width, channels, values, coverage } = await strip(fieldOf(fieldId), first, PACKED_ROWS);
  const i = (y - first) * width + x;
  return { values: [...values.subarray(channels * i, channels * (i + 1))], coverage: coverage[i] };
}

const answer = (request: BlockRequest): Promise<BlockAnswers[keyof BlockAnswers]> =>
  request.type === 'open' ? open(request) : request.type === 'block' ? block(request) : texel(request);

addEventListener('message', ({ data }: MessageEvent<BlockRequest>) => {
  answer(data).then(
    (value) => postMessage({ id: data.id, answer: value } satisfies BlockReply),
    (error: unknown) => postMessage({ id: data.id, message: error instanceof Error ? error.message : String(error) } satisfies BlockReply),
  );
});
