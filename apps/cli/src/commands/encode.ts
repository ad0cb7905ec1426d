import type { Depth, Field, MapRecord, NormalConvention } from '@estampe/core';
import {
  defaultFit,
  encodeMap,
  EstampeError,
  exactMidpoint,
  fitRange,
  InvalidInputError,
  LEGAL_DEPTHS,
  mapFormatOf,
  NORMAL_RANGE,
  parseFit,
  readField,
  recordToJson,
  UnsupportedError,
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
  }),
};

/** A field from elsewhere says little of itself; these are the contract's own defaults. */
export const UNKNOWN_RECORD: MapRecord = {
  kind: 'scalar', frame: 'none', base: 'limit', baseLevel: 0, boundary: 'edge-and-corner', uv: 'linear', tile: 1001, unit: 'scene', filter: 'bilinear', lowHash: '',
  match: 'unknown', seamsMatched: 'no', texelsFitted: 'no', normalSource: null, reach: 0, samples: 1, padding: 0, covered: 0, missed: 0, doubtful: 0, missedShare: 0,
  depth: null, midpoint: null, scale: null, axes: null, green: null, keepBlue: null, clippedShare: null,
}; // prettier-ignore

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
  const fit = o.fit === undefined ? defaultFit(depth) : parseFit(o.fit);
  const wanted = o.midpoint === 'exact' ? exactMidpoint(depth) : (o.midpoint ?? null);
  const range = (field: Field, { kind }: MapRecord, path: string): { midpoint: number; scale: number } => {
    if (kind !== 'normal' && field.channels !== 1)
      throw new UnsupportedError(
        'UNSUPPORTED',
        `${path}: this version encodes scalar and normal fields, not ${kind}; choose one of these.`,
        {
          file: path,
        },
      );
    if (kind === 'normal') {
      if (o.fit !== undefined)
        throw new InvalidInputError('BAD_OPTION', `${path}: normals always run from -1 to 1; leave --fit out for a normal map.`, {
          option: 'fit',
        });
      return { midpoint: wanted ?? NORMAL_RANGE.midpoint, scale: o.scale ?? NORMAL_RANGE.scale };
    }
    if (o.scale !== undefined && wanted !== null) return { midpoint: wanted, scale: o.scale };
    const fitted = fitRange(field, depth, fit, wanted);
    return { midpoint: fitted.midpoint, scale: o.scale ?? fitted.scale };
  };
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
        kind: field.channels === 3 ? 'normal' : 'scalar',
        ...definedOf(parseMapRecord(raw).record),
      };
      const { midpoint, scale } = range(field, known, path);
      const convention = conventionOf(o, known, path);
      const { map, figures, record } = encodeMap(field, known, { depth, midpoint, scale }, texelSizes, convention);
      const file = await writeMap({ ...map, half: depth === 'half' }, record, format, nodeZlib, context.control);
      await writeOutput(o.out, file);
      await writeOutput(`${o.out}.json`, Buffer.from(recordToJson(record)));
      const { step, restError, clippedShare, terracedShare, min, max, roundingRms } = figures;
      return {
        report: {
          depth,
          midpoint,
          scale,
          axes: record.kind === 'normal' ? record.axes : null,
          green: record.kind === 'normal' ? record.green : null,
          step,
          restError,
          clippedShare,
          terracedShare,
          min,
          max,
          roundingRms,
          ...('restAngle' in figures ? { restAngle: figures.restAngle, roundingAngle: figures.roundingAngle } : {}),
          bytes: file.length,
        },
        lines: [
          `${depth}, midpoint ${midpoint}, scale ${scale}, step ${step.toPrecision(4)}, clipped ${(100 * clippedShare).toFixed(3)} %`,
        ],
      };
    },
  };
}

function conventionOf(
  o: { readonly green?: 'up' | 'down' | undefined; readonly 'keep-blue'?: 'yes' | 'no' | undefined },
  record: MapRecord,
  path: string,
): NormalConvention {
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
  return { green: o.green ?? 'up', keepBlue: o['keep-blue'] !== 'no' };
}

function definedOf(record: MapRecordKeys): Partial<MapRecord> {
  return Object.fromEntries(Object.entries(record).filter(([, v]) => v !== undefined));
}
