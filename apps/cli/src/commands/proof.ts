import type { Base, MapKind, MovingKind, NormalProofReport, PolyMesh, ProofOptions, TileRasters, VectorFrameKind } from '@estampe/core';
import {
  adviseOnProof,
  axisLetters,
  channelsOf,
  diagonalOf,
  displaces,
  exactMidpoint,
  EXTRACT_RANGES,
  pointCount,
  faceTiles,
  formatAxes,
  hasAxes,
  holdsDirections,
  InvalidInputError,
  levelsByCount,
  MAP_KIND_NAMES,
  MOVING_KINDS,
  NORMAL_RANGE,
  parseAxes,
  parseBase,
  PLAIN_ORDER,
  prepareSpan,
  proveDisplacement,
  proveNormals,
  provingBytes,
  refinedFaceCount,
  requireUvs,
  searchOf,
  sharesOverTiles,
  SURFACE_DEFAULTS,
  texelsHeld,
  tilesInUse,
} from '@estampe/core';
import { meshHash, requireMemory } from '@estampe/node';
import * as z from 'zod';
import { ENCODING, length, readArgs, SURFACE, whole } from '../args';
import type { Context } from '../context';
import type { Command, Outcome } from '../command';
import type { Picker, SaidMap } from './read-maps';
import { picker, readFields, readMaps, requireOneMap, ruleOf } from './read-maps';

/** Kinds that can be compared with a sculpt. */
const PROVABLE = [...MOVING_KINDS, ...MAP_KIND_NAMES.filter(holdsDirections)] as [MapKind, ...MapKind[]];
const provable = (): string => `${new Intl.ListFormat('en').format(PROVABLE)} maps can be proven`;
const SPEC = {
  name: 'proof',
  positionals: [],
  options: z.object({
    low: z.string().min(1),
    map: z.string().min(1),
    sculpt: z.string().min(1),
    kind: z.enum(PROVABLE, { error: provable }).optional(),
    subdivisions: whole(0, 10).optional(),
    tolerance: z
      .string()
      .regex(/^[0-9.eE+-]+%?$/, 'a length, or a share of the diagonal with %')
      .refine((s) => length.safeParse(s.replace('%', '')).success, `a number from ${EXTRACT_RANGES.length.join(' to ')} is needed`)
      .optional(),
    ...ENCODING,
    base: z.string().optional(),
    filter: z.enum(['bilinear', 'nearest']).optional(),
    field: z.string().min(1).optional(),
    frame: z.enum(['derivative', 'mikk', 'object']).optional(),
    axes: z.string().max(64).optional(),
    green: z.enum(['up', 'down']).optional(),
    'keep-blue': z.enum(['yes', 'no']).optional(),
    ...SURFACE,
  }),
};

type Options = z.infer<typeof SPEC.options>;

export function proof(argv: readonly string[]): Command {
  const { options: o } = readArgs(SPEC, argv);
  if (o.base !== undefined) parseBase(o.base);
  return {
    common: o,
    async run(context) {
      await context.claim({ inputs: [o.low, o.sculpt], maps: [o.map, o.field] });
      const low = await context.readMesh(o.low);
      const sculpt = await context.readSculpt(o.sculpt);
      const { uvs, faceUvs } = requireUvs(low);
      const tiles = tilesInUse(faceTiles(low, uvs, faceUvs));
      const { maps, rasters } = await readMaps(context, o.map, tiles);
      const first = [...maps.values()][0];
      requireOneMap(maps, o.map);
      const pick = picker(context, o.map, first);
      const kind = pick('kind', o.kind, 'scalar');
      if (!displaces(kind) && !holdsDirections(kind))
        throw new InvalidInputError('BAD_OPTION', `${o.map}: this is a ${kind} map, which displaces nothing; ${provable()}.`, {
          option: 'kind',
        });
      const { channels } = first;
      if (channelsOf(kind) > channels)
        throw new InvalidInputError(
          'BAD_OPTION',
          `${o.map}: a ${kind} map needs three channels and this file has ${channels}; choose another.`,
          {
            option: 'map',
          },
        );
      if (!hasAxes(kind) && o.axes !== undefined)
        throw new InvalidInputError('BAD_OPTION', `only a vector map has an axis order, and ${o.map} is a ${kind} map; leave --axes out.`, {
          option: 'axes',
        });
      const given = { o, low, sculpt, tiles, maps, rasters, first, pick, ...rangeOf(o, first, kind, pick), ...commonOf(o, maps, pick) };
      const lowHash = pick('lowHash', undefined, '');
      if (lowHash !== '' && lowHash !== meshHash(low))
        context.warnings.push(`${o.map}: the map was made for another low mesh than ${o.low}; point order, points or UVs differ.`);
      return displaces(kind) ? proveSurface(context, given, kind) : proveDirections(context, given);
    },
  };
}

interface Given extends ReturnType<typeof rangeOf>, ReturnType<typeof commonOf> {
  readonly o: Options;
  readonly low: PolyMesh;
  readonly sculpt: PolyMesh;
  readonly tiles: readonly number[];
  readonly maps: ReadonlyMap<number, SaidMap>;
  readonly rasters: TileRasters;
  readonly first: SaidMap;
  readonly pick: Picker;
}

/** What the values of the file mean. A field holds unit vectors and scene units as they are. */
function rangeOf(o: Options, first: SaidMap, kind: MapKind, pick: Picker) {
  const half = holdsDirections(kind) && !first.isField;
  const integer = first.depth === '8' || first.depth === '16';
  const rest = half ? NORMAL_RANGE.midpoint : integer ? exactMidpoint(first.depth) : 0;
  return {
    midpoint: pick('midpoint', o.midpoint === 'exact' ? exactMidpoint(first.depth) : o.midpoint, rest),
    scale: pick('scale', o.scale, half ? NORMAL_RANGE.scale : 1),
  };
}

/** What proofs of all kinds take alike. */
function commonOf(o: Options, maps: ReadonlyMap<number, SaidMap>, pick: Picker) {
  return {
    base: pick('base', o.base, 'limit') as Base,
    surface: { boundary: pick('boundary', o.boundary, SURFACE_DEFAULTS.boundary), uv: pick('uv', o.uv, SURFACE_DEFAULTS.uv) },
    shared: {
      filter: pick('filter', o.filter, 'bilinear'),
      ...sharesOverTiles([...maps.values()].map(({ attributes, sidecar }) => ({ ...sidecar, ...attributes }))),
    },
  };
}

/** A normal map against the sculpt's own normals. */
async function proveDirections(
  context: Context,
  { o, low, sculpt, rasters, first, pick, base, surface, midpoint, scale, shared }: Given,
): Promise<Outcome> {
  // where attributes and sidecar differ, that is said
  for (const key of ['normalSource', 'match', 'reach'] as const) pick(key, undefined, '');
  const span = prepareSpan(
    low,
    sculpt,
    {
      base,
      surface,
      maps: ['normal'],
      frame: pick('frame', o.frame, 'mikk') === 'object' ? 'object' : 'mikk',
      ...searchOf({ ...first.sidecar, ...first.attributes }),
    },
    context.threads,
    context.control,
  );
  if (o.subdivisions !== undefined)
    context.warnings.push(`normals are compared on the base at level ${span.base.level}; --subdivisions changes nothing for a normal map.`);
  if (o.tolerance?.endsWith('%'))
    throw new InvalidInputError('BAD_OPTION', 'the tolerance of a normal map is an angle in degrees; leave the % out.', {
      option: 'tolerance',
    });
  const green = pick('green', o.green, 'up');
  const keepBlue = pick('keepBlue', o['keep-blue'], 'yes');
  const tolerance = o.tolerance === undefined ? null : Number(o.tolerance);
  const { report } = await proveNormals(
    span,
    rasters,
    {
      ...shared,
      midpoint: oneOf(midpoint),
      scale: oneOf(scale),
      green: green === 'down' ? 'down' : 'up',
      keepBlue: keepBlue !== 'no',
      tolerance,
    },
    context.control,
  );
  const match = first.attributes.match ?? first.sidecar.match;
  if (match !== undefined && match !== span.match)
    context.warnings.push(
      `${o.map}: it was measured by ${match}, but low mesh and sculpt are matched by ${span.match} here; compare it with the sculpt it was made from.`,
    );
  return normalOutcome(report, diagonalOf(sculpt.positions), span.options.frame);
}

/** A displaced light mesh against the sculpt. */
async function proveSurface(
  context: Context,
  { o, low, sculpt, tiles, maps, rasters, first, pick, base, surface, midpoint, scale, shared }: Given,
  kind: MovingKind,
): Promise<Outcome> {
  const diagonal = diagonalOf(sculpt.positions);
  const frame = pick('frame', o.frame, 'derivative');
  const vectorFrame: VectorFrameKind = frame === 'object' || frame === 'mikk' ? frame : 'derivative';
  const vector: Partial<ProofOptions> = hasAxes(kind)
    ? {
        frame: vectorFrame,
        frameLevel: first.attributes.frameLevel ?? first.sidecar.frameLevel ?? null,
        frameRule: ruleOf(first),
        axes: parseAxes(pick('axes', o.axes, formatAxes(PLAIN_ORDER, axisLetters(vectorFrame))), axisLetters(vectorFrame)),
      }
    : {};
  const fields = o.field === undefined ? {} : { fields: readFields(o.field, tiles, { kind, ...(hasAxes(kind) ? { frame } : {}) }) };
  const subdivisions = o.subdivisions ?? levelsByCount(low, sculpt) ?? 4;
  const each = Math.max(...[...maps.values()].map(({ width, height }) => width * height));
  const texels = texelsHeld(maps.size, each, first.channels);
  requireMemory(
    provingBytes(refinedFaceCount(low, subdivisions), pointCount(sculpt), texels, first.channels, context.threads.count),
    `A proof at ${subdivisions} subdivisions`,
    'take fewer --subdivisions',
  );
  const { report, worst: places } = await proveDisplacement(
    { low, sculpt, maps: rasters, ...fields },
    {
      ...shared,
      ...vector,
      kind,
      midpoint,
      scale,
      subdivisions,
      base,
      surface,
      tolerance: toleranceUnits(o.tolerance, diagonal),
    },
    context.threads,
    context.control,
  );
  const advice = adviseOnProof(report, 'units', kind);
  const { distance, undisplaced, unencoded, passed } = report;
  const share = (rms: number): string => (undisplaced.rms === 0 ? '' : ` (${((100 * rms) / undisplaced.rms).toFixed(3)} % of undisplaced)`);
  return {
    report: {
      kind,
      ...(hasAxes(kind) ? { frame: vectorFrame } : {}),
      ...report,
      advice,
      worst: places.map((p) => ({ ...p, position: p.position.map((x, k) => low.origin[k] + x) })),
    },
    failed: passed === false,
    lines: [
      `two-way RMS ${distance.rms.toPrecision(5)}${share(distance.rms)}, 99th percentile ${distance.p99.toPrecision(5)}, largest ${distance.max.toPrecision(5)}`,
      ...(unencoded === null ? [] : [`unencoded   ${unencoded.rms.toPrecision(5)}${share(unencoded.rms)}`]),
      `undisplaced ${undisplaced.rms.toPrecision(5)}; seam gap ${report.seamGap.max.toPrecision(4)}; folds ${(100 * report.foldShare).toFixed(3)} %`,
      ...(report.reachedShare === null ? [] : [`reached ${(100 * report.reachedShare).toFixed(2)} % of the sculpt`]),
      ...(passed === null ? [] : [passed ? 'Good to pull' : 'Hold']),
      ...advice.map((a) => a.message),
    ],
  };
}

/** Normals have one range: a file that names three for them is read by its first. */
const oneOf = (x: number | readonly number[]): number => (typeof x === 'number' ? x : x[0]);

/** A length, or a share of the diagonal where it ends in %. */
const toleranceUnits = (text: string | undefined, diagonal: number): number | null =>
  text === undefined ? null : text.endsWith('%') ? (Number(text.slice(0, -1)) / 100) * diagonal : Number(text);

/** The same keys as for displacement; what a normal map cannot have is null. */
function normalOutcome(report: NormalProofReport, diagonal: number, frame: string): Outcome {
  const { normalAngle, bareAngle, passed, ...rest } = report;
  return {
    report: {
      kind: 'normal', frame, diagonal, distance: null, undisplaced: null, unencoded: null, reachedShare: null, seamGap: null, foldShare: null,
      normalAngle, bareNormalAngle: bareAngle, ...rest, passed,
    }, // prettier-ignore
    failed: passed === false,
    lines: [
      ...(normalAngle === null || bareAngle === null
        ? ['no place of the sculpt could be compared with the map, so there is no verdict']
        : [
            `angle to the sculpt's normals: mean ${normalAngle.mean.toPrecision(4)}, 95th percentile ${normalAngle.p95.toPrecision(4)} degrees`,
            `without the map: mean ${bareAngle.mean.toPrecision(4)}, 95th percentile ${bareAngle.p95.toPrecision(4)} degrees`,
          ]),
      ...(report.unmatchedShare > 0 ? [`${(100 * report.unmatchedShare).toPrecision(3)} % of the area had no normal to compare with`] : []),
      ...(passed === null ? [] : [passed ? 'Good to pull' : 'Hold']),
    ],
  };
}
