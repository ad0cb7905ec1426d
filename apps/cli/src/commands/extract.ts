import type { Field } from '@estampe/core';
import {
  adviseOnRadius,
  EXTRACT_DEFAULTS,
  EXTRACT_RANGES,
  faceCount,
  measuringBytes,
  texelBytes,
  adviseOnSheets,
  extractTile,
  fieldCounts,
  fieldRecord,
  INSIDE,
  InvalidInputError,
  parseBase,
  prepareSpan,
  recordToJson,
  SURFACE_DEFAULTS,
  writeField,
} from '@estampe/core';
import { meshHash, nodeZlib, requireMemory, writeOutput } from '@estampe/node';
import * as z from 'zod';
import { decimal, length, readArgs, SURFACE, surfaceOf, whole } from '../args';
import { sidecarOf, stopwatch } from '../context';
import type { Command } from '../command';
import { tilePath } from '../tile-path';

const side = whole(...EXTRACT_RANGES.side);
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
    reach: z.union([z.literal('auto'), length], { error: 'auto or a length above 0' }).optional(),
    samples: whole(...EXTRACT_RANGES.samples).optional(),
    padding: z
      .union([z.literal('fill').transform(() => Infinity), whole(...EXTRACT_RANGES.padding)], { error: 'fill or texels from 0 to 16384' })
      .optional(),
    tile: z.union([z.literal('all'), whole(1001, 9999)], { error: 'all or a tile number' }).optional(),
    frame: z.enum(['derivative', 'mikk', 'object']).optional(),
    distance: length.optional(),
    rays: whole(...EXTRACT_RANGES.rays).optional(),
    seed: whole(...EXTRACT_RANGES.seed).optional(),
    radius: z.union([z.literal('auto'), length], { error: 'auto or a length above 0' }).optional(),
    /** What the sculpt's point colours are; they are kept as they are stored. */
    'colour-space': z.enum(['sRGB', 'linear']).optional(),
    /** Colours: darkened by another map of the same pass. */
    shade: z.enum(['occlusion', 'hollows']).optional(),
    strength: decimal.refine((s) => s >= 0 && s <= 1, 'it must be between 0 and 1').optional(),
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
  checkOptions(o);
  const match = o.match ?? 'auto';
  const base = parseBase(o.base ?? 'limit');
  const surface = { ...SURFACE_DEFAULTS, ...surfaceOf(o) };
  return {
    common: o,
    async run(context) {
      await context.claim({ inputs: [o.low, o.sculpt], mapOutput: o.out });
      const lap = stopwatch();
      const low = await context.readMesh(o.low);
      const sculpt = await context.readMesh(o.sculpt);
      const read = lap();
      const kinds = o.shade === undefined ? [kind] : [kind, o.shade];
      const asked = { ...EXTRACT_DEFAULTS, ...(o.size ?? {}), matchSeams: o['match-seams'] === true, fitTexels: o['fit-texels'] === true, ...(o.samples === undefined ? {} : { samples: o.samples }) }; // prettier-ignore
      const each = kinds.reduce((sum, k) => sum + texelBytes(k, asked), 0);
      requireMemory(
        measuringBytes(faceCount(sculpt), asked.width * asked.height, each),
        `One tile of ${asked.width} x ${asked.height}`,
        'take a smaller --size',
      );
      const span = prepareSpan(
        low,
        sculpt,
        {
          base,
          match,
          surface,
          maps: o.shade === undefined ? [kind] : [kind, o.shade],
          shade: o.shade === undefined ? null : { by: o.shade, strength: o.strength ?? 0.5, space: o['colour-space'] ?? 'sRGB' },
          frame: kind === 'normal' && o.frame === 'object' ? 'object' : 'mikk',
          ...(kind === 'vector' ? { vectorFrame: o.frame ?? 'derivative' } : {}),
          normalsForHeights: o['for-heights'] === true,
          matchSeams: o['match-seams'] === true,
          fitTexels: o['fit-texels'] === true,
          ...(o.size ?? {}),
          ...(o.reach === undefined ? {} : { reach: o.reach }),
          ...(o.samples === undefined ? {} : { samples: o.samples }),
          ...(o.padding === undefined ? {} : { padding: o.padding }),
          ...(o.rays === undefined ? {} : { occlusionRays: o.rays }),
          ...(o.distance === undefined ? {} : { occlusionDistance: o.distance }),
          ...(o.seed === undefined ? {} : { seed: o.seed }),
          ...(o.radius === undefined ? {} : { radius: o.radius }),
        },
        context.threads,
        context.control,
      );
      const radiusAdvice = kind === 'curvature' || kind === 'hollows' ? adviseOnRadius(span.radiusEdges) : null;
      if (radiusAdvice !== null) context.warnings.push(radiusAdvice);
      const tiles = typeof o.tile === 'number' ? [o.tile] : span.tiles;
      const paths = new Map(tiles.map((tile) => [tile, tilePath(o.out, tile, tiles.length)]));
      const prepare = lap();
      const { width, height } = span.options;
      const lowHash = meshHash(low);
      const totals = {
        covered: 0,
        missed: 0,
        doubtful: 0,
        mended: 0,
        sheets: 0,
        rays: 0,
        min: [Infinity, Infinity, Infinity],
        max: [-Infinity, -Infinity, -Infinity],
      };
      const fits: object[] = [];
      let extractSeconds = 0;
      let writeSeconds = 0;
      let cpu = 0;
      for (const [tile, path] of paths) {
        const before = process.cpuUsage();
        const { fields, rays, texelSizes, fits: gains, sheets } = await extractTile(span, tile, context.threads, context.control);
        const field = fields.get(kind) as Field;
        const used = process.cpuUsage(before);
        cpu += (used.user + used.system) / 1e6;
        extractSeconds += lap();
        add(totals, field, rays);
        const gain = gains.get(kind);
        if (gain) fits.push({ tile, ...gain });
        totals.sheets += sheets?.patches ?? 0;
        const record = fieldRecord(span, kind, tile, field, { unit: 'scene', lowHash, colourSpace: o['colour-space'] ?? 'sRGB' });
        await writeOutput(path, await writeField(field, record, texelSizes, nodeZlib, context.control));
        await writeOutput(sidecarOf(path), Buffer.from(recordToJson(record)));
        writeSeconds += lap();
      }
      const { covered, missed, doubtful, mended, rays } = totals;
      const three = totals.min[1] <= totals.max[1];
      const known = totals.min[0] <= totals.max[0];
      const ends = (of: readonly number[]): number | readonly number[] | null => (!known ? null : three ? of : of[0]);
      const [min, max] = [ends(totals.min), ends(totals.max)];
      const measure = span.measures[0];
      return {
        report: {
          size: [width, height], tiles, match: span.match, levels: span.levels, baseLevel: span.base.level, reach: span.reach, covered, missed, doubtful, mended,
          sheets: span.levels === null ? totals.sheets : null,
          min, max, rays, raysPerSecond: rate(rays, extractSeconds), raysPerCpuSecond: rate(rays, cpu),
          ...(kind === 'normal' ? { frame: span.options.frame, normalSource: span.source } : {}),
          ...(kind === 'vector' ? { frame: span.options.vectorFrame, frameLevel: span.frameLevel } : {}), ...(span.radius === null ? {} : { radius: span.radius }),
          ...(measure.kind === 'occlusion' ? { raysASample: measure.options.rays, seed: measure.options.seed, lift: measure.options.liftUnits } : {}),
           ...(fits.length > 0 ? { fits } : {}),
          seconds: { read, prepare, extract: extractSeconds, write: writeSeconds },
        }, // prettier-ignore
        lines: [
          `${width} x ${height}, tiles ${tiles.join(' ')}, match ${span.match}, reach ${span.reach.toPrecision(4)}`,
          `${NAMES[kind]} ${known ? `${text(min)} to ${text(max)}` : 'nowhere'}; ${covered} texels covered, ${missed} missed, ${doubtful} doubtful`,
          ...[adviseOnSheets(totals.sheets, mended, covered)].filter((line) => line !== null),
        ],
      };
    },
  };
}

const NAMES = {
  scalar: 'heights', vector: 'vector components', normal: 'normal components', occlusion: 'openness', hollows: 'hollows', curvature: 'curvature',
  colour: 'colours',
} as const; // prettier-ignore

const text = (x: number | readonly number[] | null): string =>
  x === null ? '' : typeof x === 'number' ? x.toPrecision(6) : x.map((c) => c.toPrecision(4)).join(' ');

/** Refuses by name what a kind of map cannot have. */
function checkOptions(o: z.infer<(typeof SPEC)['options']>): void {
  const refuse = (option: keyof typeof o, why: string): void => {
    if (o[option] !== undefined && o[option] !== false)
      throw new InvalidInputError('BAD_OPTION', `${why}; leave --${option} out.`, { option });
  };
  const kind = o.map;
  if (o.match === 'closest' && kind === 'scalar')
    throw new InvalidInputError(
      'BAD_OPTION',
      'match closest cannot give heights along the normal; use auto, stack or rays for a scalar map.',
      { option: 'match' },
    );
  if (kind !== 'vector' && kind !== 'normal') refuse('frame', `a ${kind} map has no frame`);
  if (kind === 'normal' && o.frame === 'derivative')
    throw new InvalidInputError('BAD_OPTION', 'normals are written in frame mikk or object; the derivative frame is for vector maps.', {
      option: 'frame',
    });
  if (kind === 'scalar' || kind === 'vector') refuse('for-heights', `a ${kind} map is not read where another map puts the surface`);
  if (kind !== 'colour') for (const option of ['shade', 'strength'] as const) refuse(option, `a ${kind} map has no colours`);
  if (o.shade === undefined) refuse('strength', 'nothing darkens the colours without --shade');
  if (kind !== 'occlusion' && o.shade !== 'occlusion')
    for (const option of ['distance', 'rays', 'seed'] as const) refuse(option, `a ${kind} map is not sampled by rays over a hemisphere`);
  if (kind !== 'curvature' && kind !== 'hollows' && o.shade !== 'hollows') refuse('radius', `a ${kind} map is not averaged over a ball`);
  if (kind !== 'colour') refuse('colour-space', `a ${kind} map has no colours`);
}

/** Counts of all tiles, smallest and largest value a channel over class 1. */
function add(
  totals: { covered: number; missed: number; doubtful: number; mended: number; rays: number; min: number[]; max: number[] },
  field: Field,
  rays: number,
): void {
  const { covered, missed, doubtful, mended } = fieldCounts(field);
  totals.covered += covered;
  totals.missed += missed;
  totals.doubtful += doubtful;
  totals.mended += mended;
  totals.rays += rays;
  const { channels, values, coverage } = field;
  for (let i = 0; i < values.length; i++) {
    const k = i % channels;
    if (coverage[(i - k) / channels] !== INSIDE) continue;
    totals.min[k] = Math.min(totals.min[k], values[i]);
    totals.max[k] = Math.max(totals.max[k], values[i]);
  }
}

const rate = (count: number, seconds: number): number | null => (seconds > 0 ? Math.round(count / seconds) : null);
