import type { ExtractOptions, Field, FieldCounts, KindOption, MapKind, PolyMesh, SpanSurfaces, WrittenRecord } from '@estampe/core';
import {
  adviseOnRadius,
  adviseOnSheets,
  asksRay,
  beginSpan,
  EXTRACT_DEFAULTS,
  SURFACE_DEFAULTS,
  EXTRACT_RANGES,
  extractTile,
  faceCount,
  levelsByFaces,
  pointCount,
  fieldCountsByThreads,
  fieldRecord,
  hasAxes,
  heeds,
  holdsDirections,
  InvalidInputError,
  MAP_KIND_NAMES,
  measuringBytes,
  prepareSpanBeside,
  radiusEdgesOf,
  recordToJson,
  spanWork,
  writtenRecord,
  texelBytes,
  writeField,
} from '@estampe/core';
import { meshHash, requireMemory, writeOutput, zlibBy } from '@estampe/node';
import * as z from 'zod';
import { coreOptions, KIND_WORDS, PASS_DEFAULTS, shadingKind } from '@estampe/contracts';
import type { Pass } from '@estampe/contracts';
import { decimal, length, readArgs, SURFACE, rulesOf, surfaceOf, whole } from '../args';
import { sidecarOf, stopwatch } from '../context';
import type { Command } from '../command';
import type { Context } from '../context';
import { tilePath } from '../tile-path';

const side = whole(...EXTRACT_RANGES.side);
type Options = z.infer<(typeof SPEC)['options']>;
const SPEC = {
  name: 'extract',
  positionals: [],
  options: z.object({
    low: z.string().min(1),
    sculpt: z.string().min(1),
    map: z.enum(MAP_KIND_NAMES),
    out: z.string().regex(/\.exr$/i, 'a field is an .exr'),
    size: z
      .string()
      .transform((s) => s.split('x'))
      .pipe(z.union([z.tuple([side]), z.tuple([side, side])], { error: 'W or WxH, each from 1 to 16384' }))
      .transform(([w, h]): [number, number] => [w, h ?? w])
      .optional(),
    base: z.string().optional(),
    match: z.enum(['auto', 'stack', 'rays', 'closest']).optional(),
    reach: z.union([z.literal('auto'), length], { error: 'auto or a length above 0' }).optional(),
    samples: whole(...EXTRACT_RANGES.samples).optional(),
    padding: z.union([z.literal('fill'), whole(...EXTRACT_RANGES.padding)], { error: 'fill or texels from 0 to 16384' }).optional(),
    tile: z.union([z.literal('all'), whole(1001, 9999)], { error: 'all or a tile number' }).optional(),
    frame: z.enum(['derivative', 'mikk', 'object']).optional(),
    distance: length.optional(),
    rays: whole(...EXTRACT_RANGES.rays).optional(),
    'share-rays': z.enum(['yes', 'no']).optional(),
    seed: whole(...EXTRACT_RANGES.seed).optional(),
    radius: z.union([z.literal('auto'), length], { error: 'auto or a length above 0' }).optional(),
    /** What the sculpt's point colours are; they are kept as they are stored. */
    'colour-space': z.enum(['sRGB', 'linear']).optional(),
    /** Colours: darkened by another map of the same pass. */
    shade: shadingKind.optional(),
    strength: decimal.refine((s) => s >= 0 && s <= 1, 'it must be between 0 and 1').optional(),
    /** Normals where a height map of the same span puts the surface. */
    'for-heights': z.boolean().optional(),
    'match-seams': z.boolean().optional(),
    'no-match-seams': z.boolean().optional(),
    'fit-texels': z.boolean().optional(),
    ...SURFACE,
  }),
  flags: ['for-heights', 'match-seams', 'no-match-seams', 'fit-texels'],
};

export function extract(argv: readonly string[]): Command {
  const { options: o } = readArgs(SPEC, argv);
  const kind = o.map;
  checkOptions(o);
  const pass = passOf(o);
  const kinds = o.shade === undefined ? [kind] : [kind, o.shade];
  const options = { ...coreOptions(pass, kinds), shareRays: o['share-rays'] !== 'no' };
  return {
    common: o,
    async run(context) {
      await context.claim({ inputs: [o.low, o.sculpt], mapOutput: o.out });
      const lap = stopwatch();
      const { low, span, read } = await spanOfFiles(context, o, kinds, options, lap);
      const radiusAdvice = adviseOnRadius(radiusEdgesOf(span, kind));
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
      // a function of its own, so that nothing holds a tile's field while the next one is measured
      const measureTile = async (tile: number, path: string): Promise<WrittenRecord> => {
        const before = process.cpuUsage();
        const { fields, rays, texelSizes, fits: gains, sheets } = await extractTile(span, tile, context.threads, context.control);
        const field = fields.get(kind) as Field;
        const used = process.cpuUsage(before);
        cpu += (used.user + used.system) / 1e6;
        extractSeconds += lap();
        const counts = await fieldCountsByThreads(field, context.threads, context.control);
        add(totals, counts, rays);
        const gain = gains.get(kind);
        if (gain) fits.push({ tile, ...gain });
        totals.sheets += sheets?.patches ?? 0;
        const record = fieldRecord(span, kind, tile, field, { unit: 'scene', lowHash, colourSpace: o['colour-space'] ?? 'sRGB', counts });
        const written = writtenRecord(record);
        await writeOutput(path, await writeField(field, record, texelSizes, zlibBy(context.threads), context.control));
        await writeOutput(sidecarOf(path), Buffer.from(recordToJson(written)));
        writeSeconds += lap();
        return written;
      };
      let own: WrittenRecord | null = null;
      for (const [tile, path] of paths) own = await measureTile(tile, path);
      const { covered, missed, doubtful, mended, rays } = totals;
      const three = totals.min[1] <= totals.max[1];
      const known = totals.min[0] <= totals.max[0];
      const ends = (of: readonly number[]): number | readonly number[] | null => (!known ? null : three ? of : of[0]);
      const [min, max] = [ends(totals.min), ends(totals.max)];
      return {
        report: {
          size: [width, height], tiles, match: span.match, levels: span.levels, baseLevel: span.base.level, reach: span.reach, covered, missed, doubtful, mended,
          sheets: span.levels === null ? totals.sheets : null,
          min, max, rays, raysPerSecond: rate(rays, extractSeconds), raysPerCpuSecond: rate(rays, cpu),
          ...(heeds(kind, 'frame') ? { frame: own?.frame } : {}), ...(holdsDirections(kind) ? { normalSource: span.source } : {}),
          ...(hasAxes(kind) ? { frameLevel: own?.frameLevel } : {}), ...(heeds(kind, 'radius') ? { radius: own?.radius } : {}),
          ...(heeds(kind, 'rays') ? { raysASample: own?.rays, raysCast: own?.raysCast, seed: own?.seed, lift: own?.lift } : {}), ...(heeds(kind, 'distance') ? { distance: own?.distance } : {}),
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

/** Reads both meshes and prepares to measure; what needs the light mesh alone is begun while the sculpt is read.
 *  @returns also the seconds that reading took @throws EstampeError NO_MEMORY before the sculpt is read, where its file says how large it is */
async function spanOfFiles(
  context: Context,
  o: Options,
  kinds: readonly MapKind[],
  options: Partial<ExtractOptions>,
  lap: () => number,
): Promise<{ readonly low: PolyMesh; readonly span: SpanSurfaces; readonly read: number }> {
  const { threads, control } = context;
  const { mesh: low, scene } = await context.readMeshFile(o.low);
  const asked = { ...options, surface: { ...SURFACE_DEFAULTS, ...rulesOf(scene), ...surfaceOf(o) } };
  const { width, height, ...others } = { ...EXTRACT_DEFAULTS, ...asked };
  const each = kinds.reduce((sum, k) => sum + texelBytes(k, others), 0);
  const requireRoom = (points: number, faces: number): void => {
    const work = spanWork(asked, levelsByFaces(low, faces));
    requireMemory(
      measuringBytes(work, points, width * height, each, threads.count),
      `One tile of ${width} x ${height}`,
      'take a smaller --size',
    );
  };
  let begun: ReturnType<typeof beginSpan> = null;
  const sculpt = await context.readSculpt(o.sculpt, ({ points, faces }) => {
    requireRoom(points, faces);
    begun = beginSpan(low, faces, asked, threads, control);
  });
  const read = lap();
  requireRoom(pointCount(sculpt), faceCount(sculpt));
  return { low, span: await prepareSpanBeside(low, sculpt, asked, threads, control, begun), read };
}

/** What the numbers of a map are, in the printed line. */
const NAMES: Readonly<Record<MapKind, string>> = {
  ...KIND_WORDS,
  vector: 'vector components',
  normal: 'normal components',
  occlusion: 'openness',
};

/** The pass that the options stand for. */
function passOf(o: Options): Pass {
  const given = <T>(value: T | undefined, otherwise: T): T => value ?? otherwise;
  const length = (value: number | 'auto' | undefined): number | null => (typeof value === 'number' ? value : null);
  return {
    ...PASS_DEFAULTS,
    ...SURFACE_DEFAULTS,
    ...surfaceOf(o),
    size: given<Pass['size']>(o.size, PASS_DEFAULTS.size),
    base: given(o.base, PASS_DEFAULTS.base),
    match: given<Pass['match']>(o.match, PASS_DEFAULTS.match),
    reach: length(o.reach),
    samples: given<number>(o.samples, PASS_DEFAULTS.samples),
    padding: given<number | 'fill'>(o.padding, PASS_DEFAULTS.padding),
    matchSeams: o['no-match-seams'] !== true,
    fitTexels: o['fit-texels'] === true,
    frame: holdsDirections(o.map) && o.frame === 'object' ? 'object' : PASS_DEFAULTS.frame,
    vectorFrame: given<Pass['vectorFrame']>(hasAxes(o.map) ? o.frame : undefined, PASS_DEFAULTS.vectorFrame),
    forHeights: o['for-heights'] === true,
    occlusionRays: given<number>(o.rays, PASS_DEFAULTS.occlusionRays),
    occlusionDistance: length(o.distance),
    thicknessDistance: length(o.distance),
    seed: given<number>(o.seed, PASS_DEFAULTS.seed),
    radius: length(o.radius),
    colourSpace: given<Pass['colourSpace']>(o['colour-space'], PASS_DEFAULTS.colourSpace),
    shade: given<Pass['shade']>(o.shade, PASS_DEFAULTS.shade),
    shadeStrength: given<number>(o.strength, PASS_DEFAULTS.shadeStrength),
  };
}

const text = (x: number | readonly number[] | null): string =>
  x === null ? '' : typeof x === 'number' ? x.toPrecision(6) : x.map((c) => c.toPrecision(4)).join(' ');

/** Refuses by name what a kind of map cannot have. */
function checkOptions(o: Options): void {
  const refuse = (option: keyof Options, why: string): void => {
    if (o[option] !== undefined && o[option] !== false)
      throw new InvalidInputError('BAD_OPTION', `${why}; leave --${option} out.`, { option });
  };
  const kind = o.map;
  if (o.match === 'closest' && asksRay([kind]))
    throw new InvalidInputError(
      'BAD_OPTION',
      'match closest cannot give heights along the normal; use auto, stack or rays for a scalar map.',
      { option: 'match' },
    );
  if (holdsDirections(kind) && o.frame === 'derivative')
    throw new InvalidInputError('BAD_OPTION', 'normals are written in frame mikk or object; the derivative frame is for vector maps.', {
      option: 'frame',
    });
  if (o['match-seams'] === true) refuse('no-match-seams', '--match-seams asks for the opposite');
  if (o.shade === undefined) refuse('strength', 'nothing darkens the colours without --shade');
  for (const [option, heeded, why] of OWN_OPTIONS)
    if (!heeds(kind, heeded) && (o.shade === undefined || !heeds(o.shade, heeded))) refuse(option, `a ${kind} map ${why}`);
}

/** Options that mean nothing to most kinds, and why. */
const OWN_OPTIONS: readonly (readonly [keyof Options, KindOption, string])[] = [
  ['frame', 'frame', 'has no frame'],
  ['for-heights', 'forHeights', 'is not read where another map puts the surface'],
  ['shade', 'shade', 'has no colours'],
  ['strength', 'strength', 'has no colours'],
  ['distance', 'distance', 'does not look around from the sculpt'],
  ['rays', 'rays', 'is not sampled by rays over a hemisphere'],
  ['seed', 'seed', 'is not sampled by rays over a hemisphere'],
  ['share-rays', 'rays', 'is not sampled by rays over a hemisphere'],
  ['radius', 'radius', 'is not averaged over a ball'],
  ['colour-space', 'colourSpace', 'has no colours'],
];

/** Counts of all tiles, smallest and largest value a channel over class 1. */
function add(
  totals: { covered: number; missed: number; doubtful: number; mended: number; rays: number; min: number[]; max: number[] },
  { covered, missed, doubtful, mended, ends }: FieldCounts,
  rays: number,
): void {
  totals.covered += covered;
  totals.missed += missed;
  totals.doubtful += doubtful;
  totals.mended += mended;
  totals.rays += rays;
  for (const [k, { min, max }] of ends.entries()) {
    totals.min[k] = Math.min(totals.min[k], min);
    totals.max[k] = Math.max(totals.max[k], max);
  }
}

const rate = (count: number, seconds: number): number | null => (seconds > 0 ? Math.round(count / seconds) : null);
