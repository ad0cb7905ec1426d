import type { ProofOutcome } from '@estampe/contracts';
import type {
  Base,
  Encoding,
  Field,
  MapConvention,
  PolyMesh,
  Raster,
  RunControl,
  SpanSurfaces,
  SurfaceOptions,
  Threads,
  TileRasters,
  Tiles,
  WorstPlace,
} from '@estampe/core';
import {
  baseSurfaceAt,
  displaces,
  frameRuleOf,
  hasAxes,
  holdsDirections,
  proveDisplacement,
  proveNormals,
  readBack,
  recordedRange,
  sharesOverTiles,
  tileOf,
} from '@estampe/core';
import type { MadeMap } from './made-map';

export interface MadePair {
  readonly low: PolyMesh;
  readonly sculpt: PolyMesh;
  /** All tiles of one map. */
  readonly made: readonly Pick<MadeMap, 'tile' | 'record'>[];
  /** What was read back from their files. */
  readonly maps: TileRasters;
  readonly fields: Tiles<Field>;
}

export interface MadeProofOptions {
  readonly encoding: Encoding;
  readonly convention: MapConvention;
  readonly base: Base;
  readonly surface: SurfaceOptions;
  readonly subdivisions: number;
  /** Scene units, or degrees for normals; null gives no verdict. */
  readonly tolerance: number | null;
  /** The surfaces that normals were measured on, prepared when they are needed. */
  readonly span: () => SpanSurfaces;
}

export interface MadeProof {
  readonly outcome: ProofOutcome;
  readonly worst: readonly WorstPlace[];
  /** What was compared: the displaced mesh, or the base where nothing moves. */
  readonly mesh: PolyMesh;
  /** One a point of the mesh: signed distances, or degrees. */
  readonly errors: Float32Array;
}

/** Levels of the base on which maps that move nothing are shown. */
const SHOWN_LEVELS = 4;

/** Proves the written files of one map by what its kind can be proven by: as surfaces, by angles, or by reading back.
 *  @throws InvalidInputError NO_TILE, BAD_OPTION; CancelledError */
export async function proveMade(pair: MadePair, o: MadeProofOptions, threads: Threads, control?: RunControl): Promise<MadeProof> {
  const { low, sculpt, made, maps, fields } = pair;
  const [{ record }] = made;
  const shares = sharesOverTiles(made.map((m) => m.record));
  if (displaces(record.kind)) {
    const { axes } = o.convention;
    const frame = record.frame === 'object' || record.frame === 'mikk' ? record.frame : 'derivative';
    const { report, ...rest } = await proveDisplacement(
      { low, sculpt, maps, fields },
      {
        ...shares,
        ...recordedRange(o.encoding),
        kind: record.kind,
        ...(hasAxes(record.kind) ? { frame, frameLevel: record.frameLevel, frameRule: frameRuleOf(record), axes } : {}),
        base: o.base,
        surface: o.surface,
        subdivisions: o.subdivisions,
        tolerance: o.tolerance,
      },
      threads,
      control,
    );
    return { outcome: { kind: record.kind, report }, ...rest };
  }
  if (holdsDirections(record.kind)) {
    const { midpoint, scale } = o.encoding;
    const { green, keepBlue } = o.convention;
    const span = o.span();
    const options = { ...shares, midpoint, scale, green, keepBlue, tolerance: o.tolerance };
    const { report, errors, worst } = await proveNormals(span, maps, options, control);
    const mesh = bareBase(low, o, span.base.level);
    return { outcome: { kind: 'normal', report }, worst, mesh, errors: errors.slice(0, mesh.positions.length / 3) };
  }
  const back = await readBack(pairsOf(pair), o.encoding);
  const mesh = bareBase(low, o, record.baseLevel);
  const report = { ...back, ...shares, tolerance: null, passed: null };
  return { outcome: { kind: 'values', report }, worst: [], mesh, errors: new Float32Array(mesh.positions.length / 3) };
}

async function* pairsOf({ made, maps, fields }: MadePair): AsyncGenerator<readonly [Field, Raster]> {
  for (const { tile } of made) yield [await tileOf(fields, tile), await tileOf(maps, tile)];
}

/** Points of a lighter level are the first of a finer one, so errors a point of the base fit. */
const bareBase = (low: PolyMesh, { base, surface }: MadeProofOptions, level: number): PolyMesh => ({
  ...baseSurfaceAt(low, base, Math.min(level, SHOWN_LEVELS), surface).mesh,
  uvs: null,
  faceUvs: null,
});
