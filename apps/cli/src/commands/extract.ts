import type { Field, FieldCounts } from '@estampe/core';
import {
  extractTile,
  fieldCounts,
  fieldRecord,
  InvalidInputError,
  parseBase,
  prepareSpan,
  recordToJson,
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
    frame: z.enum(['derivative', 'mikk', 'object']).optional(),
    /** Normals where a height map of the same span puts the surface. */
    'for-heights': z.boolean().optional(),
    'match-seams': z.boolean().optional(),
    'fit-texels': z.boolean().optional(),
    ...SURFACE,
  }),
  flags: ['for-heights', 'match-seams', 'fit-texels'],
};

export function extract(argv: readonly string[]): Command {
  const { options: o } = readArgs(SPEC, argv);
  const kind = o.map;
  if (kind !== 'scalar' && kind !== 'normal')
    throw new UnsupportedError(
      'UNSUPPORTED',
      `this version extracts scalar and normal maps, not ${kind}; use --map scalar or --map normal.`,
      {
        option: 'map',
      },
    );
  if (o.match === 'closest' && kind === 'scalar')
    throw new InvalidInputError(
      'BAD_OPTION',
      'match closest cannot give heights along the normal; use auto, stack or rays for a scalar map.',
      { option: 'match' },
    );
  if (kind === 'scalar' && (o.frame !== undefined || o['for-heights'] === true))
    throw new InvalidInputError('BAD_OPTION', 'a scalar map has no frame and no normals; leave --frame and --for-heights out.', {
      option: 'frame',
    });
  if (o.frame === 'derivative')
    throw new UnsupportedError('UNSUPPORTED', 'this version writes normals in frame mikk or object; use one of these.', {
      option: 'frame',
    });
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
      const span = prepareSpan(
        low,
        sculpt,
        {
          base,
          match,
          surface,
          maps: [kind],
          frame: o.frame === 'object' ? 'object' : 'mikk',
          normalsForHeights: o['for-heights'] === true,
          matchSeams: o['match-seams'] === true,
          fitTexels: o['fit-texels'] === true,
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
      const fits: object[] = [];
      let extractSeconds = 0;
      let writeSeconds = 0;
      let cpu = 0;
      for (const [tile, path] of paths) {
        const before = process.cpuUsage();
        const { fields, rays, texelSizes, fit } = await extractTile(span, tile, context.threads, context.control);
        const field = fields.get(kind) as Field;
        const used = process.cpuUsage(before);
        cpu += (used.user + used.system) / 1e6;
        extractSeconds += lap();
        add(totals, fieldCounts(field), rays);
        if (fit) fits.push({ tile, ...fit });
        const record = fieldRecord(span, kind, tile, field, { unit: 'scene', lowHash });
        await writeOutput(path, await writeField(field, record, texelSizes, nodeZlib, context.control));
        await writeOutput(`${path}.json`, Buffer.from(recordToJson(record)));
        writeSeconds += lap();
      }
      const { covered, missed, doubtful, rays, min, max } = totals;
      const known = min <= max;
      return {
        report: {
          size: [width, height], tiles, match: span.match, levels: span.levels, baseLevel: span.base.level, reach: span.reach, covered, missed, doubtful,
          min: known ? min : null, max: known ? max : null, rays, raysPerSecond: rate(rays, extractSeconds), raysPerCpuSecond: rate(rays, cpu),
          ...(kind === 'normal' ? { frame: span.options.frame, normalSource: span.normals?.source } : {}), ...(fits.length > 0 ? { fits } : {}),
          seconds: { read, prepare, extract: extractSeconds, write: writeSeconds },
        }, // prettier-ignore
        lines: [
          `${width} x ${height}, tiles ${tiles.join(' ')}, match ${span.match}, reach ${span.reach.toPrecision(4)}`,
          `${kind === 'scalar' ? 'height' : 'normal components'} ${known ? `${min.toPrecision(6)} to ${max.toPrecision(6)}` : 'nowhere'}; ${covered} texels covered, ${missed} missed, ${doubtful} doubtful`,
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
