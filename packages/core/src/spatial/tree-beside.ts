import type { RunControl } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { placeU32 } from '../runtime/threads';
import type { Bvh } from './bvh';
import { buildRayBvh } from './bvh';

interface TreeJob {
  readonly positions: Float32Array;
  readonly corners: Uint32Array;
}

/** Builds a tree on another thread: in WebAssembly memory that all threads see, else null. */
export const buildTree: Kernel<TreeJob, null, Bvh | null> = {
  name: 'build-tree',
  run({ positions, corners }) {
    const tree = buildRayBvh(positions, corners);
    return tree.wide === null ? null : tree;
  },
};

/** A tree that is built while the caller does something else. @returns null where there is no other thread, or trees of plain code would have to be
 *  sent; `buildRayBvh` gives the same tree @throws RangeError as that does; CancelledError */
export async function treeBeside(
  positions: Float32Array,
  corners: Uint32Array,
  threads: Threads,
  control?: RunControl,
): Promise<Bvh | null> {
  if (threads.count < 2) return null;
  let tree: Bvh | null = null;
  // its progress is the caller's to tell
  const stop = control?.signal === undefined ? {} : { signal: control.signal };
  await threads.run(buildTree, { positions, corners }, [null], (built) => (tree = built && withShared(built, threads)), stop);
  return tree;
}

const withShared = (tree: Bvh, { allocate }: Threads): Bvh => ({ ...tree, triangles: placeU32(tree.triangles, allocate) });
