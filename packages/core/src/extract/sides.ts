import type { PolyMesh } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { placeU32 } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { buildRayBvh } from '../spatial/bvh';
import type { Base, BaseSurface, MeasuringOptions } from '../subdivision/base-surface';
import { baseSurfaceForMeasuring } from '../subdivision/base-surface';

/** What is made of one of the two meshes alone, before it is known how they lie on each other. */
type Side =
  | { readonly of: 'low'; readonly low: PolyMesh; readonly base: Base; readonly measuring: MeasuringOptions }
  | { readonly of: 'sculpt'; readonly positions: Float32Array; readonly corners: Uint32Array };

interface Made {
  readonly base: BaseSurface | null;
  /** Only one in memory that all threads see: others would have to be sent. */
  readonly tree: Bvh | null;
}

/** Refines a base, or builds a sculpt's tree, on another thread. */
export const prepareSide: Kernel<null, Side, Made> = {
  name: 'prepare-side',
  run(_, side) {
    if (side.of === 'low') return { base: baseSurfaceForMeasuring(side.low, side.base, side.measuring), tree: null };
    const tree = buildRayBvh(side.positions, side.corners);
    return { base: null, tree: tree.wide === null ? null : tree };
  },
};

/** Makes base, tree or both on other threads while the caller does something else.
 *  @returns nulls for what was not asked for, and a null tree where the host has none for kernels
 *  @throws RangeError as `buildRayBvh` does; CancelledError */
export async function sidesBeside(sides: readonly Side[], threads: Threads, control?: RunControl): Promise<Made> {
  let made: Made = { base: null, tree: null };
  // their progress is the caller's to tell
  const stop = control?.signal === undefined ? {} : { signal: control.signal };
  await threads.run(prepareSide, null, sides, ({ base, tree }) => (made = { base: base ?? made.base, tree: tree ?? made.tree }), stop);
  return { ...made, tree: made.tree && { ...made.tree, triangles: placeU32(made.tree.triangles, threads.allocate) } };
}
