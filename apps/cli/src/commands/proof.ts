import type { Base, MapFile, Raster } from '@estampe/core';
import {
  diagonalOf,
  EstampeError,
  exactMidpoint,
  faceTiles,
  InvalidInputError,
  levelsBetween,
  parseBase,
  proveScalar,
  readField,
  requireUvs,
  SURFACE_DEFAULTS,
  tilesInUse,
} from '@estampe/core';
import type { MapRecordKeys } from '@estampe/contracts';
import { meshHash, nodeZlib, readInput } from '@estampe/node';
import * as z from 'zod';
import { decimal, readArgs, SURFACE, whole } from '../args';
import type { Context } from '../context';
import type { Command } from '../main';
import { hasTileMark, tilePath } from '../tile-path';

const SPEC = {
  name: 'proof',
  positionals: [],
  options: z.object({
    low: z.string().min(1),
    map: z.string().min(1),
    sculpt: z.string().min(1),
    kind: z.literal('scalar', { error: 'this version proves scalar maps' }).optional(),
    subdivisions: whole(0, 10).optional(),
    tolerance: z
      .string()
      .regex(/^[0-9.eE+-]+%?$/, 'a length, or a share of the diagonal with %')
      .refine((s) => Number(s.replace('%', '')) > 0, 'it must be above 0')
      .optional(),
    midpoint: z.union([z.literal('exact'), decimal], { error: 'exact or a number' }).optional(),
    scale: decimal.refine((s) => s > 0, 'it must be above 0').optional(),
    base: z.string().optional(),
    filter: z.enum(['bilinear', 'nearest']).optional(),
    field: z.string().min(1).optional(),
    ...SURFACE,
  }),
};

type ReadMap = MapFile & { readonly attributes: MapRecordKeys; readonly sidecar: MapRecordKeys };

export function proof(argv: readonly string[]): Command {
  const { options: o } = readArgs(SPEC, argv);
  if (o.base !== undefined) parseBase(o.base);
  return {
    common: o,
    async run(context) {
      const low = await context.readMesh(o.low);
      const sculpt = await context.readMesh(o.sculpt);
      const { uvs, faceUvs } = requireUvs(low);
      const tiles = tilesInUse(faceTiles(low, uvs, faceUvs));
      const maps = await readTiles(o.map, tiles, (path) => context.readMap(path));
      const first = [...maps.values()][0];
      const pick = picker(context, o.map, first);
      const kind = pick('kind', o.kind, 'scalar');
      if (kind !== 'scalar')
        throw new InvalidInputError('BAD_OPTION', `${o.map}: this is a ${kind} map, and this version proves scalar maps.`, {
          option: 'kind',
        });
      const lowHash = pick('lowHash', undefined, '');
      if (lowHash !== '' && lowHash !== meshHash(low))
        context.warnings.push(`${o.map}: the map was made for another low mesh than ${o.low}; point order, points or UVs differ.`);
      const base = pick('base', o.base, 'limit') as Base;
      const integer = first.depth === '8' || first.depth === '16';
      const fallbackMidpoint = integer ? exactMidpoint(first.depth) : 0;
      const subdivisions = o.subdivisions ?? levelsBetween(low, sculpt) ?? 4;
      const diagonal = diagonalOf(sculpt.positions);
      const { report } = await proveScalar(
        {
          low,
          sculpt,
          maps: rasters(maps),
          ...(o.field === undefined ? {} : { fields: rasters(await readTiles(o.field, tiles, readFieldRaster)) }),
        },
        {
          subdivisions,
          base,
          surface: { boundary: pick('boundary', o.boundary, SURFACE_DEFAULTS.boundary), uv: pick('uv', o.uv, SURFACE_DEFAULTS.uv) },
          filter: pick('filter', o.filter, 'bilinear'),
          midpoint:
            pick('midpoint', o.midpoint === 'exact' ? exactMidpoint(first.depth) : o.midpoint, fallbackMidpoint) ?? fallbackMidpoint,
          scale: pick('scale', o.scale, 1) ?? 1,
          tolerance:
            o.tolerance === undefined
              ? null
              : o.tolerance.endsWith('%')
                ? (Number(o.tolerance.slice(0, -1)) / 100) * diagonal
                : Number(o.tolerance),
          missedShare: worst(maps, 'missedShare'),
          clippedShare: worst(maps, 'clippedShare'),
        },
        context.threads,
        context.control,
      );
      const { distance, undisplaced, unencoded, passed } = report;
      const share = (rms: number): string =>
        undisplaced.rms === 0 ? '' : ` (${((100 * rms) / undisplaced.rms).toFixed(3)} % of undisplaced)`;
      return {
        report,
        failed: passed === false,
        lines: [
          `two-way RMS ${distance.rms.toPrecision(5)}${share(distance.rms)}, 99th percentile ${distance.p99.toPrecision(5)}, largest ${distance.max.toPrecision(5)}`,
          ...(unencoded === null ? [] : [`unencoded   ${unencoded.rms.toPrecision(5)}${share(unencoded.rms)}`]),
          `undisplaced ${undisplaced.rms.toPrecision(5)}; seam gap ${report.seamGap.max.toPrecision(4)}; folds ${(100 * report.foldShare).toFixed(3)} %`,
          ...(passed === null ? [] : [passed ? 'Good to pull' : 'Hold']),
        ],
      };
    },
  };
}

/** A value by precedence: option, then the file's attributes, then its sidecar, then the default. A difference becomes a warning. */
function picker(context: Context, path: string, { attributes, sidecar }: ReadMap) {
  return <K extends keyof MapRecordKeys>(
    key: K,
    option: MapRecordKeys[K] | string | undefined,
    fallback: NonNullable<MapRecordKeys[K]>,
  ): NonNullable<MapRecordKeys[K]> => {
    const inFile = attributes[key];
    const beside = sidecar[key];
    const known = [
      ['the option', option],
      ["the file's attribute", inFile],
      ['its sidecar', beside],
    ].filter((s): s is [string, NonNullable<MapRecordKeys[K]>] => s[1] !== undefined && s[1] !== null);
    for (const [name, value] of known.slice(1))
      if (value !== known[0][1])
        context.warnings.push(
          `${path}: ${key} is ${String(known[0][1])} by ${known[0][0]} but ${String(value)} by ${name}; the first was used.`,
        );
    return known.length === 0 ? fallback : known[0][1];
  };
}

async function readTiles<T>(path: string, tiles: readonly number[], read: (path: string) => Promise<T>): Promise<Map<number, T>> {
  const out = new Map<number, T>();
  const wanted = hasTileMark(path) ? tiles : tiles.slice(0, 1);
  if (!hasTileMark(path) && tiles.length > 1) tilePath(path, tiles[0], tiles.length);
  for (const tile of wanted) out.set(tile, await read(tilePath(path, tile, wanted.length)));
  return out;
}

async function readFieldRaster(path: string): Promise<{ readonly raster: Raster }> {
  try {
    return { raster: (await readField(await readInput(path), nodeZlib)).field };
  } catch (error) {
    throw error instanceof EstampeError && error.where.file === undefined ? error.inFile(path) : error;
  }
}

const rasters = (maps: ReadonlyMap<number, { readonly raster: Raster }>): Map<number, Raster> =>
  new Map([...maps].map(([tile, m]) => [tile, m.raster]));

function worst(maps: ReadonlyMap<number, ReadMap>, key: 'missedShare' | 'clippedShare'): number | null {
  const known = [...maps.values()]
    .map((m) => m.attributes[key] ?? m.sidecar[key])
    .filter((x): x is number => x !== undefined && x !== null);
  return known.length === 0 ? null : Math.max(...known);
}
