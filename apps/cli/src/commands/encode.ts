import type { Depth, MapRecord } from '@estampe/core';
import {
  defaultFit,
  encodeField,
  EstampeError,
  exactMidpoint,
  fitRange,
  InvalidInputError,
  LEGAL_DEPTHS,
  mapFormatOf,
  parseFit,
  readField,
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
  }),
};

/** A field from elsewhere says little of itself; these are the contract's own defaults. */
export const UNKNOWN_RECORD: MapRecord = {
  kind: 'scalar', frame: 'none', base: 'limit', baseLevel: 0, boundary: 'edge-and-corner', uv: 'linear', tile: 1001, unit: 'scene', filter: 'bilinear', lowHash: '',
  match: 'unknown', reach: 0, samples: 1, padding: 0, covered: 0, missed: 0, doubtful: 0, missedShare: 0,
  depth: null, midpoint: null, scale: null, axes: null, green: null, clippedShare: null,
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
      if (field.channels !== 1)
        throw new UnsupportedError(
          'UNSUPPORTED',
          `${path}: this version encodes fields with one height, not three channels; choose a scalar field.`,
          { file: path },
        );
      const midpoint = o.midpoint === 'exact' ? exactMidpoint(depth) : (o.midpoint ?? null);
      const fitted = o.scale !== undefined && midpoint !== null ? { midpoint, scale: o.scale } : fitRange(field, depth, fit, midpoint);
      const map = encodeField(field, { depth, midpoint: fitted.midpoint, scale: o.scale ?? fitted.scale }, texelSizes);
      const { figures, encoding } = map;
      const known = parseMapRecord(raw).record;
      const record: MapRecord = {
        ...UNKNOWN_RECORD,
        ...definedOf(known),
        depth,
        midpoint: encoding.midpoint,
        scale: encoding.scale,
        axes: 'none',
        green: 'none',
        clippedShare: figures.clippedShare,
      };
      const file = await writeMap({ ...map, half: depth === 'half' }, record, format, nodeZlib, context.control);
      await writeOutput(o.out, file);
      await context.writeJson(`${o.out}.json`, Object.fromEntries(Object.entries(record).map(([k, v]) => [`estampe:${k}`, v as unknown])));
      const { step, restError, clippedShare, terracedShare, min, max, roundingRms } = figures;
      return {
        report: {
          depth,
          midpoint: encoding.midpoint,
          scale: encoding.scale,
          axes: null,
          green: null,
          step,
          restError,
          clippedShare,
          terracedShare,
          min,
          max,
          roundingRms,
          bytes: file.length,
        },
        lines: [
          `${depth}, midpoint ${encoding.midpoint}, scale ${encoding.scale}, step ${step.toPrecision(4)}, clipped ${(100 * clippedShare).toFixed(3)} %`,
        ],
      };
    },
  };
}

function definedOf(record: MapRecordKeys): Partial<MapRecord> {
  return Object.fromEntries(Object.entries(record).filter(([, v]) => v !== undefined));
}
