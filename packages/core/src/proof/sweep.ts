import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, polyMesh } from '../mesh/poly-mesh';
import type { TileRasters } from '../raster/raster-tiles';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads } from '../runtime/threads';
import { baseSurfaceAt } from '../subdivision/base-surface';
import { comparedSurface, ComparedWith, NO_NORMALS } from './compare';
import { crackBase, displace } from './displace';
import type { ProofOptions } from './prove-displacement';
import { PROOF_DEFAULTS } from './prove-displacement';

/** The written map's two-way error at one number of render subdivisions; scene units. */
export interface SweepPoint {
  readonly subdivisions: number;
  readonly faces: number;
  readonly rms: number;
  readonly p99: number;
  readonly max: number;
}

/** A sweep goes to levels with a little more than the sculpt's faces; where the last of them is the best, one further, up to so many faces. */
export const SWEEP_FACES = { ofSculpt: 1.1, further: 1_500_000 } as const;

/** A point that is no more than this much worse than the best is as good. */
const KNEE_SLACK = 1.1;

/** The fewest subdivisions whose error is within a tenth of the best; more of them only cost memory. Null for an empty sweep. */
export function kneeOf(points: readonly SweepPoint[]): number | null {
  const best = Math.min(...points.map((p) => p.rms));
  return points.find((p) => p.rms <= KNEE_SLACK * best)?.subdivisions ?? null;
}

/** Displaces the light mesh at each number of subdivisions by the same map and measures it against the sculpt.
 *  @param levels ascending
 *  @throws InvalidInputError NO_UVS, NO_TILE, TOO_LARGE; CancelledError */
export async function sweepSubdivisions(
  { low, sculpt, maps }: { readonly low: PolyMesh; readonly sculpt: PolyMesh; readonly maps: TileRasters },
  levels: readonly number[],
  options: Partial<ProofOptions> = {},
  threads: Threads = inlineThreads,
  control?: RunControl,
): Promise<SweepPoint[]> {
  const o = resolveOptions('sweep', PROOF_DEFAULTS, options);
  const against = new ComparedWith(comparedSurface(withOriginOf(sculpt, low), threads, NO_NORMALS), threads);
  const points: SweepPoint[] = [];
  // each step has about four times the faces of the one before, until the sculpt's own outweigh them
  const costs = levels.map((r) => faceCount(sculpt) + faceCount(low) * 4 ** r);
  const total = costs.reduce((a, b) => a + b, 0);
  let spent = 0;
  for (const [i, subdivisions] of levels.entries()) {
    throwIfAborted(control);
    const own = subProgress(control, spent / total, (spent + costs[i]) / total);
    const base = baseSurfaceAt(low, o.base, subdivisions, o.surface, subProgress(own, 0, 0.1));
    const cracked = crackBase(low, base, subdivisions);
    const positions = await displace({ low, rule: o.base, surface: o.surface, base, cracked }, maps, o.filter, o);
    const mesh = polyMesh({ positions, faceOffsets: base.mesh.faceOffsets, faceVerts: cracked.faceVerts });
    const distance = await against.distance(comparedSurface(mesh, threads, NO_NORMALS), subProgress(own, 0.2, 1));
    points.push({ subdivisions, faces: faceCount(mesh), rms: distance.rms, p99: distance.p99, max: distance.max });
    spent += costs[i];
  }
  return points;
}
