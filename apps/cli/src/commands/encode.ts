import type { Depth, EncodedMap, MapConvention, MapRecord } from '@estampe/core';
import {
  axisLetters,
  decodeMap,
  encodeMap,
  EstampeError,
  exactMidpoint,
  fitEncoding,
  InvalidInputError,
  LEGAL_DEPTHS,
  mapFormatOf,
  parseAxes,
  parseFit,
  PLAIN_ORDER,
  readField,
  recordedRange,
  recordToJson,
  UNKNOWN_RECORD,
  writeMap,
} from '@estampe/core';
import type { MapRecordKeys } from '@estampe/contracts';
import { parseMapRecord } from '@estampe/contracts';
import { nodeZlib, readInput, writeOutput } from '@estampe/node';
import * as z from 'zod';
import { decimal, readArgs } from '../args';
import type { Command } from '../main';

const SPEC = {
  name: 'encode',
  positionals: ['FIELD.exr'],
  options: z.object({
    out: z.string().min(1),
    depth: z.enum(['8', '16', 'half', 'float']).optional(),
    midpoint: z.union([z.literal('exact'), decimal], { error: 'exact or a number' }).optional(),
    scale: decimal.refine((s) => s > 0, 'it must be above 0').optional(),
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
      const bytes = await readInput(path);
      const {
        field,
        record: raw,
        texelSizes,
      } = await readField(bytes, nodeZlib).catch((e: unknown) => {
        throw e instanceof EstampeError ? e.inFile(path) : e;
      });
      const known: MapRecord = {
        ...UNKNOWN_RECORD,
        kind: field.channels === 3 ? 'vector' : 'scalar',
        ...definedOf(parseMapRecord(raw).record),
      };
      const convention = conventionOf(o, known, path);
      const { axes } = convention;
      const each = o.ranges === 'each';
      const encoding = inFile(path, () =>
        fitEncoding([field], { kind: known.kind, depth, fit, midpoint: wanted, scale: o.scale ?? null, axes, each }),
      );
      const { map, figures, record } = encodeMap(field, known, encoding, texelSizes, convention);
      const file = await writeMap({ ...map, half: depth === 'half' }, record, format, nodeZlib, context.control);
      await writeOutput(o.out, file);
      await writeOutput(`${o.out}.json`, Buffer.from(recordToJson(record)));
      const { step, restError, clippedShare, terracedShare, min, max, roundingRms } = figures;
      const { midpoint, scale } = recordedRange(encoding);
      const three = record.kind === 'vector' ? channelFigures(map) : null;
      return {
        report: {
          kind: record.kind,
          depth,
          midpoint,
          scale,
          axes: record.axes === 'none' ? null : record.axes,
          green: record.kind === 'normal' ? record.green : null,
          step,
          restError,
          clippedShare,
          terracedShare,
          min: three?.min ?? min,
          max: three?.max ?? max,
          roundingRms,
          ...('restAngle' in figures ? { restAngle: figures.restAngle, roundingAngle: figures.roundingAngle } : {}),
          bytes: file.length,
        },
        lines: [
          `${depth}, midpoint ${String(midpoint)}, scale ${String(scale)}, step ${step.toPrecision(4)}, clipped ${(100 * clippedShare).toFixed(3)} %`,
        ],
      };
    },
  };
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
  if (asked && record.kind !== 'normal')
    throw new InvalidInputError(
      'BAD_OPTION',
      `${path}: a ${record.kind} map has no green and no blue of its own; leave --green and --keep-blue out.`,
      {
        option: 'green',
      },
    );
  if (o['keep-blue'] === 'no' && record.frame === 'object')
    throw new InvalidInputError('BAD_OPTION', `${path}: in object space normals point every way, so blue cannot be rebuilt; keep it.`, {
      option: 'keep-blue',
    });
  if (o.axes !== undefined && record.kind !== 'vector')
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
    axes: o.axes === undefined ? PLAIN_ORDER : parseAxes(o.axes, axisLetters(record.frame)),
  };
}

/** Smallest and largest decoded value a channel of a map of three. */
function channelFigures(map: Omit<EncodedMap, 'figures'>): { min: number[]; max: number[] } {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  decodeMap(map).values.forEach((d, i) => {
    min[i % 3] = Math.min(min[i % 3], d);
    max[i % 3] = Math.max(max[i % 3], d);
  });
  return { min, max };
}

function inFile<T>(path: string, make: () => T): T {
  try {
    return make();
  } catch (e) {
    throw e instanceof EstampeError ? e.inFile(path) : e;
  }
}

function definedOf(record: MapRecordKeys): Partial<MapRecord> {
  return Object.fromEntries(Object.entries(record).filter(([, v]) => v !== undefined));
}
