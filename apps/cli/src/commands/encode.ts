import type { Depth, Field, MapConvention, MapRecord, TileFigures } from '@estampe/core';
import {
  axisLetters,
  encodeMap,
  EstampeError,
  exactMidpoint,
  extremesOf,
  fieldRecordOf,
  figuresOverTiles,
  fitEncoding,
  formatAxes,
  frameOf,
  hasAxes,
  holdsDirections,
  INSIDE,
  InvalidInputError,
  LEGAL_DEPTHS,
  mapFormatOf,
  parseAxes,
  parseFit,
  PLAIN_ORDER,
  readField,
  recordedRange,
  recordToJson,
  writeMap,
  writtenRecord,
} from '@estampe/core';
import { parseMapRecord } from '@estampe/contracts';
import { nodeZlib, readInput, writeOutput } from '@estampe/node';
import * as z from 'zod';
import { ENCODING, readArgs } from '../args';
import type { Context } from '../context';
import { passedOver, sidecarOf } from '../context';
import type { Command } from '../command';
import { hasTileMark, tilePath, tilesThere } from '../tile-path';

const SPEC = {
  name: 'encode',
  positionals: ['FIELD.exr'],
  options: z.object({
    out: z.string().min(1),
    depth: z.enum(['8', '16', 'half', 'float']).optional(),
    ...ENCODING,
    fit: z.string().optional(),
    green: z.enum(['up', 'down']).optional(),
    'keep-blue': z.enum(['yes', 'no']).optional(),
    axes: z.string().max(64).optional(),
    /** One range for the three channels of a vector map, or one each. */
    ranges: z.enum(['shared', 'each']).optional(),
  }),
};

export function encode(argv: readonly string[]): Command {
  const { positionals, options: o } = readArgs(SPEC, argv);
  const format = mapFormatOf(o.out);
  const depth: Depth = o.depth ?? (format === 'exr' ? 'float' : '16');
  if (!LEGAL_DEPTHS[format].includes(depth))
    throw new InvalidInputError(
      'BAD_OPTION',
      `${o.out}: ${format} cannot hold depth ${depth}; it takes ${LEGAL_DEPTHS[format].join(', ')}.`,
      { option: 'depth' },
    );
  const fit = o.fit === undefined ? null : parseFit(o.fit);
  const wanted = o.midpoint === 'exact' ? exactMidpoint(depth) : (o.midpoint ?? null);
  return {
    common: o,
    async run(context) {
      const path = positionals[0];
      const tiles = await tilesThere(path);
      await context.claim({ maps: tiles.map((tile) => tile.path), mapOutput: o.out });
      if (tiles[0].tile !== null) tilePath(o.out, tiles[0].tile, tiles.length);
      else if (hasTileMark(o.out))
        throw new InvalidInputError(
          'BAD_OPTION',
          `${o.out}: the field is one file without a tile's number; leave <UDIM> out of the name.`,
          {
            option: 'o',
          },
        );
      // first all tiles for the one range that they share, then one at a time
      const first = await readMeasured(tiles[0].path, context);
      const { record: known } = first;
      const convention = conventionOf(o, known, path);
      const spread = fit?.kind === 'clip' ? (f: Field): Field => f : extremesOf;
      const spreads = [spread(first.field)];
      for (const tile of tiles.slice(1)) {
        const { field, record } = await readMeasured(tile.path, context);
        if (record.kind !== known.kind || frameOf(record) !== frameOf(known))
          throw new InvalidInputError(
            'BAD_OPTION',
            `${tile.path}: this tile is ${record.kind} in frame ${frameOf(record)}, the first is ${known.kind} in frame ${frameOf(known)}; tiles of one map share both.`,
            { file: tile.path },
          );
        spreads.push(spread(field));
        await context.pause();
      }
      const { axes } = convention;
      const each = o.ranges === 'each';
      const encoding = inFile(path, () =>
        fitEncoding(spreads, { kind: known.kind, depth, fit, midpoint: wanted, scale: o.scale ?? null, axes, each }),
      );
      const written: (TileFigures & { readonly tile: number | null; readonly bytes: number })[] = [];
      for (const [i, { tile, path: from }] of tiles.entries()) {
        const { field, record: raw, texelSizes } = i === 0 ? first : await readMeasured(from, null);
        await context.pause();
        const { map, figures, record } = encodeMap(field, raw, encoding, texelSizes, convention);
        await context.pause();
        const file = await writeMap({ ...map, half: depth === 'half' }, record, format, nodeZlib, context.control);
        const to = tile === null ? o.out : tilePath(o.out, tile, tiles.length);
        await context.pause();
        await writeOutput(to, file);
        await writeOutput(sidecarOf(to), Buffer.from(recordToJson(writtenRecord(record))));
        const inside = field.coverage.reduce((n, c) => n + Number(c === INSIDE), 0);
        written.push({ tile, inside, figures, bytes: file.length });
      }
      const { kind } = known;
      const { midpoint, scale } = recordedRange(encoding);
      const { ends, bound, ...figures } = figuresOverTiles(written);
      const three = hasAxes(kind) && ends !== null;
      return {
        report: {
          kind,
          depth,
          midpoint,
          scale,
          axes: hasAxes(kind) ? formatAxes(axes, axisLetters(frameOf(known))) : null,
          green: holdsDirections(kind) ? convention.green : null,
          ...figures,
          ...(three ? { min: ends.map((e) => e.min), max: ends.map((e) => e.max) } : {}),
          bound,
          bytes: written.reduce((n, t) => n + t.bytes, 0),
          ...(tiles[0].tile === null ? {} : { tiles: tiles.map((t) => t.tile), perTile: written.map(ownFigures) }),
        },
        lines: [
          ...(tiles.length > 1 ? [`one range for ${tiles.length} tiles: ${tiles.map((t) => t.tile).join(' ')}`] : []),
          `${depth}, midpoint ${String(midpoint)}, scale ${String(scale)}, step ${figures.step.toPrecision(4)}, clipped ${(100 * figures.clippedShare).toFixed(3)} %`,
        ],
      };
    },
  };
}

const ownFigures = ({ tile, figures: f }: TileFigures & { readonly tile: number | null }) => ({
  tile,
  step: f.step,
  restError: f.restError,
  clippedShare: f.clippedShare,
  terracedShare: f.terracedShare,
  min: f.min,
  max: f.max,
});

/** A field with what its record says; a field from elsewhere says by its channels what it is. */
async function readMeasured(path: string, context: Context | null) {
  try {
    const { field, record, texelSizes } = await readField(await readInput(path), nodeZlib);
    const { record: said, refused } = parseMapRecord(record);
    // what the values mean cannot be guessed
    const vital = refused.find((key) => key === 'kind' || key === 'frame');
    if (vital !== undefined)
      throw new InvalidInputError(
        'BAD_OPTION',
        `its attribute ${vital} makes no sense (${String(record[vital])}); extract the field again.`,
      );
    if (refused.length > 0) context?.warnings.push(passedOver(path, refused));
    const kind = field.channels === 3 ? 'vector' : 'scalar';
    return { field, record: fieldRecordOf({ ...said, kind: said.kind ?? kind }), texelSizes };
  } catch (e) {
    throw e instanceof EstampeError && e.where.file === undefined ? e.inFile(path) : e;
  }
}

function conventionOf(
  o: {
    readonly green?: 'up' | 'down' | undefined;
    readonly 'keep-blue'?: 'yes' | 'no' | undefined;
    readonly axes?: string | undefined;
    readonly ranges?: 'shared' | 'each' | undefined;
  },
  record: MapRecord,
  path: string,
): MapConvention {
  const asked = o.green !== undefined || o['keep-blue'] !== undefined;
  if (asked && !holdsDirections(record.kind))
    throw new InvalidInputError(
      'BAD_OPTION',
      `${path}: a ${record.kind} map has no green and no blue of its own; leave --green and --keep-blue out.`,
      {
        option: 'green',
      },
    );
  if (o['keep-blue'] === 'no' && frameOf(record) === 'object')
    throw new InvalidInputError('BAD_OPTION', `${path}: in object space normals point every way, so blue cannot be rebuilt; keep it.`, {
      option: 'keep-blue',
    });
  if (o.axes !== undefined && !hasAxes(record.kind))
    throw new InvalidInputError(
      'BAD_OPTION',
      `${path}: only a vector map has an axis order, and this is a ${record.kind} map; leave --axes out.`,
      {
        option: 'axes',
      },
    );
  return {
    green: o.green ?? 'up',
    keepBlue: o['keep-blue'] !== 'no',
    axes: o.axes === undefined ? PLAIN_ORDER : parseAxes(o.axes, axisLetters(frameOf(record))),
  };
}

function inFile<T>(path: string, make: () => T): T {
  try {
    return make();
  } catch (e) {
    throw e instanceof EstampeError ? e.inFile(path) : e;
  }
}
