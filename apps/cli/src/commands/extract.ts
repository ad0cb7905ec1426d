import type { FieldCounts, MapRecord } from '@estampe/core';
import {
  extractScalarTile,
  fieldCounts,
  InvalidInputError,
  parseBase,
  prepareScalar,
  SURFACE_DEFAULTS,
  UnsupportedError,
  writeField,
} from '@estampe/core';
import { meshHash, nodeZlib, writeOutput } from '@estampe/node';
import * as z from 'zod';
import { decimal, readArgs, SURFACE, surfaceOf, whole } from '../args';
import { stopwatch } from '../context';
import type { Command } from '../main';
import { tilePath } from '../tile-path';

const side = whole(1, 16384);
const SPEC = {
  name: 'extract',
  positionals: [],
  options: z.object({
    low: z.string().min(1),
    sculpt: z.string().min(1),
    map: z.enum(['scalar', 'vector', 'normal', 'occlusion', 'hollows', 'curvature', 'colour']),
    out: z.string().regex(/\.exr$/i, 'a field is an .exr'),
    size: z
      .string()
      .transform((s) => s.split('x'))
      .pipe(z.union([z.tuple([side]), z.tuple([side, side])], { error: 'W or WxH, each from 1 to 16384' }))
      .transform(([w, h]) => ({ width: w, height: h ?? w }))
      .optional(),
    base: z.string().optional(),
    match: z.enum(['auto', 'stack', 'rays', 'closest']).optional(),
    reach: z
      .union([z.literal('auto'), decimal.refine((r) => r > 0, 'it must be above 0')], { error: 'auto or a length above 0' })
      .optional(),
    samples: whole(1, 16).optional(),
    padding: z
      .union([z.literal('fill').transform(() => Infinity), whole(0, 16384)], { error: 'fill or texels from 0 to 16384' })
      .optional(),
    tile: z.union([z.literal('all'), whole(1001, 9999)], { error: 'all or a tile number' }).optional(),
    ...SURFACE,
  }),
};

export function extract(argv: readonly string[]): Command {
  const { options: o } = readArgs(SPEC, argv);
  if (o.map !== 'scalar')
    throw new UnsupportedError('UNSUPPORTED', `this version extracts scalar maps, not ${o.map}; use --map scalar.`, { option: 'map' });
  if (o.match === 'closest')
    throw new InvalidInputError(
      'BAD_OPTION',
      'match closest cannot give heights along the normal; use auto, stack or rays for a scalar map.',
      { option: 'match' },
    );
  const match = o.match ?? 'auto';
  const base = parseBase(o.base ?? 'limit');
  const surface = { ...SURFACE_DEFAULTS, ...surfaceOf(o) };
  return {
    common: o,
    async run(context) {
      const lap = stopwatch();
      const low = await context.readMesh(o.low);
      const sculpt = await context.readMesh(o.sculpt);
      const read = lap();
      const span = prepareScalar(
        low,
        sculpt,
        {
          base,
          match,
          surface,
          ...(o.size ?? {}),
          ...(o.reach === undefined ? {} : { reach: o.reach }),
          ...(o.samples === undefined ? {} : { samples: o.samples }),
          ...(o.padding === undefined ? {} : { padding: o.padding }),
        },
        context.threads,
        context.control,
      );
      const tiles = typeof o.tile === 'number' ? [o.tile] : span.tiles;
      const paths = new Map(tiles.map((tile) => [tile, tilePath(o.out, tile, tiles.length)]));
      const prepare = lap();
      const { width, height } = span.options;
      const lowHash = meshHash(low);
      const totals = { covered: 0, missed: 0, doubtful: 0, rays: 0, min: Infinity, max: -Infinity };
      let extractSeconds = 0;
      let writeSeconds = 0;
      let cpu = 0;
      for (const [tile, path] of paths) {
        const before = process.cpuUsage();
        const { field, rays, texelSizes } = await extractScalarTile(span, tile, context.threads, context.control);
        const used = process.cpuUsage(before);
        cpu += (used.user + used.system) / 1e6;
        extractSeconds += lap();
        const counts = fieldCounts(field);
        add(totals, counts, rays);
        const all = counts.covered + counts.missed;
        const record: MapRecord = {
          kind: 'scalar', frame: 'none', base, baseLevel: span.base.level, ...surface, tile, unit: 'scene', filter: 'bilinear', lowHash,
          match: span.match, reach: span.reach, samples: span.options.samples, padding: Number.isFinite(span.options.padding) ? span.options.padding : -1,
          covered: counts.covered, missed: counts.missed, doubtful: counts.doubtful, missedShare: all === 0 ? 0 : counts.missed / all,
          depth: null, midpoint: null, scale: null, axes: null, green: null, clippedShare: null,
        }; // prettier-ignore
        await writeOutput(path, await writeField(field, record, texelSizes, nodeZlib, context.control));
        await context.writeJson(`${path}.json`, Object.fromEntries(Object.entries(record).map(([k, v]) => [`estampe:${k}`, v as unknown])));
        writeSeconds += lap();
      }
      const { covered, missed, doubtful, rays, min, max } = totals;
      const known = min <= max;
      return {
        report: {
          size: [width, height], tiles, match: span.match, levels: span.levels, baseLevel: span.base.level, reach: span.reach, covered, missed, doubtful,
          min: known ? min : null, max: known ? max : null, rays, raysPerSecond: rate(rays, extractSeconds), raysPerCpuSecond: rate(rays, cpu),
          seconds: { read, prepare, extract: extractSeconds, write: writeSeconds },
        }, // prettier-ignore
        lines: [
          `${width} x ${height}, tiles ${tiles.join(' ')}, match ${span.match}, reach ${span.reach.toPrecision(4)}`,
          `height ${known ? `${min.toPrecision(6)} to ${max.toPrecision(6)}` : 'nowhere'}; ${covered} texels covered, ${missed} missed, ${doubtful} doubtful`,
        ],
      };
    },
  };
}

function add(
  totals: { covered: number; missed: number; doubtful: number; rays: number; min: number; max: number },
  counts: FieldCounts,
  rays: number,
): void {
  totals.covered += counts.covered;
  totals.missed += counts.missed;
  totals.doubtful += counts.doubtful;
  totals.rays += rays;
  totals.min = Math.min(totals.min, counts.min ?? Infinity);
  totals.max = Math.max(totals.max, counts.max ?? -Infinity);
}

const rate = (count: number, seconds: number): number | null => (seconds > 0 ? Math.round(count / seconds) : null);
