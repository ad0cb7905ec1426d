import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount, polyMesh } from '../mesh/poly-mesh';
import { pointsAtLevel, stackLevel } from '../extract/stack-match';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads } from '../runtime/threads';
import type { Base } from '../subdivision/base-surface';
import { baseSurfaceAt } from '../subdivision/base-surface';
import type { SurfaceOptions } from '../mesh/surface-rules';
import type { TileRasters } from '../raster/raster-tiles';
import type { TextureFilter } from '../raster/sample';
import { comparedSurface, ComparedWith, NO_NORMALS } from './compare';
import { crackBase, displace } from './displace';
import { PROOF_DEFAULTS } from './prove-displacement';

/** Two-way RMS errors of four ways to stand in for the sculpt, each with one more loss than the one before. Scene units. */
export interface ErrorLadder {
  /** The sculpt's own points at the render subdivisions: what too few subdivisions cost. Null for a free sculpt. */
  readonly exactPoints: number | null;
  /** The same offsets read through the map's grid, unrounded and without search: the sampling bound. Null for a free sculpt. */
  readonly samplingBound: number | null;
  /** The measured field before encoding; null when it is not at hand. */
  readonly unencoded: number | null;
  /** The file. */
  readonly written: number;
}

/** What each cause adds, as RMS: the parts add up in squares to the written file's error. Null where it cannot be told apart. */
export interface ErrorParts {
  readonly subdivision: number | null;
  readonly sampling: number | null;
  readonly search: number | null;
  readonly encoding: number | null;
}

/** Differences of squares of neighbouring rungs; a rung that is better than the one before it adds nothing. */
export function errorParts({ exactPoints, samplingBound, unencoded, written }: ErrorLadder): ErrorParts {
  const added = (before: number | null, after: number | null): number | null =>
    before === null || after === null ? null : Math.sqrt(Math.max(0, after ** 2 - before ** 2));
  return {
    subdivision: exactPoints,
    sampling: added(exactPoints, samplingBound),
    search: added(samplingBound, unencoded),
    encoding: added(unencoded, written),
  };
}

export interface BoundOptions {
  readonly subdivisions: number;
  readonly base: Base;
  readonly surface: SurfaceOptions;
  readonly filter: TextureFilter;
}

/** The two upper rungs of the ladder, for a sculpt of the same stack.
 *  @param offsets fields of kind `vector` in object space by tile, at the map's size
 *  @throws InvalidInputError NOT_A_STACK, NO_TILE; CancelledError */
export async function stackBounds(
  { low, sculpt, offsets }: { readonly low: PolyMesh; readonly sculpt: PolyMesh; readonly offsets: TileRasters },
  { subdivisions, base: rule, surface, filter }: BoundOptions,
  threads: Threads = inlineThreads,
  control?: RunControl,
): Promise<{ readonly exactPoints: number; readonly samplingBound: number }> {
  const stack = stackLevel(low, sculpt, control);
  if (stack === null)
    throw new InvalidInputError('NOT_A_STACK', 'The error can be split by cause only between two levels of one stack.', {});
  throwIfAborted(control);
  const base = baseSurfaceAt(low, rule, subdivisions, surface, subProgress(control, 0, 0.1));
  const cracked = crackBase(low, base, subdivisions);
  const on = { low, rule, surface, base, cracked };
  // first of all: offsets that are measured when they are asked for hold what they are measured with
  const positions = await displace(on, offsets, filter, { ...PROOF_DEFAULTS, kind: 'vector', frame: 'object' }, { decoded: true });
  const against = new ComparedWith(comparedSurface(withOriginOf(sculpt, low), threads, NO_NORMALS), threads);
  throwIfAborted(control);
  const exact = comparedSurface(
    { ...base.mesh, positions: pointsAtLevel(stack, pointCount(base.mesh), subdivisions) },
    threads,
    NO_NORMALS,
  );
  const exactFigures = await against.distance(exact, subProgress(control, 0.4, 0.7));
  const read = comparedSurface(
    polyMesh({ positions, faceOffsets: base.mesh.faceOffsets, faceVerts: cracked.faceVerts }),
    threads,
    NO_NORMALS,
  );
  const readFigures = await against.distance(read, subProgress(control, 0.7, 1));
  return { exactPoints: exactFigures.rms, samplingBound: readFigures.rms };
}
