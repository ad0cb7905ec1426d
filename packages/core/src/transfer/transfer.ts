import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount } from '../mesh/poly-mesh';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { InvalidInputError } from '../runtime/errors';
import { checkRange, resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads } from '../runtime/threads';
import { finestOf } from '../subdivision/finest';
import { facesAfter, MAX_REFINED_FACES, refineOnce } from '../subdivision/refine';
import { transferTarget } from './target';
import type { TransferredLevel } from './transfer-level';
import { transferLevel } from './transfer-level';

export interface TransferOptions {
  /** How many levels to build; null stops near the sculpt's own number of faces. */
  readonly levels: number | null;
  /** How far to search along the normals, scene units; null measures it for each level. */
  readonly reach: number | null;
}
export const TRANSFER_DEFAULTS: TransferOptions = { levels: null, reach: null };
export const MOST_TRANSFER_LEVELS = 8;

/** Gives a light mesh the detail of a free sculpt, level by level: refined, projected both ways along the normals within reach, hits of another
 *  part of the sculpt refused, what is not answered carried along by its neighbours, folds relaxed. Level 0 stays.
 *  @param there levels 1 and up that are there already, and stay as they are
 *  @param each is given every level as it is done, with its number
 *  @returns the levels after those, up to n  @throws InvalidInputError NO_FACES, NO_OVERLAP, INSIDE_OUT, NOTHING_TO_TRANSFER, TOO_LARGE, BAD_OPTION, NOT_A_STACK  @throws CancelledError */
export async function transferSculpt(
  low: PolyMesh,
  sculpt: PolyMesh,
  options: Partial<TransferOptions> = {},
  {
    surface = {},
    threads = inlineThreads,
    control,
    there = [],
    each,
  }: {
    readonly there?: readonly PolyMesh[];
    readonly surface?: Partial<SurfaceOptions>;
    readonly threads?: Threads;
    readonly control?: RunControl;
    readonly each?: (level: TransferredLevel, number: number) => void;
  } = {},
): Promise<TransferredLevel[]> {
  const o = resolveOptions('transfer', TRANSFER_DEFAULTS, options);
  if (o.levels !== null) checkRange('levels', o.levels, 1, MOST_TRANSFER_LEVELS, true);
  if (o.reach !== null) checkRange('reach', o.reach, Number.MIN_VALUE, Number.MAX_VALUE);
  if (faceCount(low) === 0) throw new InvalidInputError('NO_FACES', 'The light mesh has no faces; write it again with its polygons.');
  control?.onProgress?.(0, 'preparing the sculpt');
  const target = await transferTarget(low, sculpt, threads, control);
  if (target.quads <= faceCount(low))
    throw new InvalidInputError(
      'NOTHING_TO_TRANSFER',
      `The light mesh has ${faceCount(low)} faces and the sculpt, counted in quads, ${Math.round(target.quads)}: there is no detail to take. Exchange the two, or bring in a finer sculpt.`,
    );
  const levels = o.levels ?? levelsNear(low, target.quads);
  if (levels <= there.length)
    throw new InvalidInputError('BAD_OPTION', `There are ${there.length} levels already; ask for more.`, { option: 'levels' });
  if (facesAfter(faceCount(low), cornerCount(low), levels) > MAX_REFINED_FACES)
    throw new InvalidInputError('TOO_LARGE', `${levels} levels would make more than ${MAX_REFINED_FACES} faces; ask for fewer.`);
  const done: TransferredLevel[] = [];
  let below = finestOf([low, ...there], surface);
  // each level costs about four times the one below
  const spent = (k: number): number => 0.05 + (0.95 * (4 ** k - 4 ** there.length)) / (4 ** levels - 4 ** there.length);
  for (let k = there.length + 1; k <= levels; k++) {
    throwIfAborted(control);
    const share = subProgress(control, spent(k - 1), spent(k));
    const refined = refineOnce(below);
    const level = await transferLevel(refined.mesh, refined.edges, target, o.reach, threads, share);
    done.push(level);
    each?.(level, k);
    below = { ...refined, mesh: level.mesh };
  }
  return done;
}

/** The number of levels that comes nearest to a number of faces, by ratio. */
export function levelsNear(low: PolyMesh, faces: number): number {
  let best = 1;
  for (let k = 1; k <= MOST_TRANSFER_LEVELS; k++) {
    const off = (n: number): number => Math.abs(Math.log(facesAfter(faceCount(low), cornerCount(low), n) / faces));
    if (off(k) < off(best)) best = k;
  }
  return best;
}
