import type { RunControl } from '../runtime/progress';
import { stopOf, subProgress } from '../runtime/progress';
import type { Kernel, Range, Threads } from '../runtime/threads';
import { rangesOf, seenByAll } from '../runtime/threads';
import type { WasmMemory } from '../runtime/wasm';
import type { BuildSpace } from './build-kernel';
import { buildSpace, orderInto, TreeBuilder } from './build-kernel';
import type { Bvh } from './bvh';
import { buildRayBvh, gatherCorners, MAX_LEAF, requireFewEnough } from './bvh';
import { largestCoordinate, mostNodes, TOPS, vertsOf, WIDE } from './wide-tree';

/** Below this many triangles telling each other takes longer than building. */
const LEAST = 50_000;
/** Ranges a thread, so that all end at about the same time. */
const RANGES = 12;
/** Share of the work that is growing; the rest is gathering corners. */
const GROWN = 0.75;

/** Over a range of triangles, or of their records. */
type Step = Range &
  (
    | { readonly step: 'record' }
    | { readonly step: 'part'; readonly node: number; readonly child: number }
    | { readonly step: 'build'; readonly node: number; readonly next: number }
  );

const builders = new WeakMap<BuildSpace, TreeBuilder>();
function builderOf(space: BuildSpace): TreeBuilder {
  const known = builders.get(space) ?? new TreeBuilder(space);
  builders.set(space, known);
  return known;
}

/** A step of building in memory that all threads see.
 *  @returns ranges that a node's children are still to be made over; null where the tree is too deep */
export const growTree: Kernel<BuildSpace, Step, readonly Range[] | null> = {
  name: 'grow-tree',
  run(space, task) {
    const builder = builderOf(space);
    switch (task.step) {
      case 'record':
        builder.record(task);
        return [];
      case 'part':
        return builder.part(task, task.node, task.child);
      case 'build':
        return builder.build(task, task.node, task.next) ? [] : null;
    }
  },
};

interface Leaves {
  readonly verts: Float32Array; // 9 T, in the tree's memory
  readonly triangles: Uint32Array; // T
  readonly positions: Float32Array;
  readonly corners: Uint32Array; // 3 T
}

/** Writes the corners of some leaf slots. */
export const gatherLeaves: Kernel<Leaves, Range, null> = {
  name: 'gather-leaves',
  run({ verts, triangles, positions, corners }, range) {
    gatherCorners(verts, positions, corners, triangles, range);
    return null;
  },
};

/** The tree that `buildRayBvh` builds but for its nodes' numbers, by all threads: large ranges are parted by whoever is free, those below them are
 *  built whole by one thread each (as Wald 2007 builds in parallel). Where there are no others, or the host has no memory that they share, it is
 *  that one.
 *  @param spare memory of a tree that nobody searches any more
 *  @throws RangeError as `buildBvh` does; CancelledError */
export async function rayBvhByThreads(
  positions: Float32Array,
  corners: Uint32Array,
  threads: Threads,
  control?: RunControl,
  spare: WasmMemory | null = null,
): Promise<Bvh> {
  const T = corners.length / 3;
  requireFewEnough(T);
  const space = threads.count < 2 || T < LEAST ? null : buildSpace(positions, corners, threads.count, spare);
  if (space === null || !(await isGrown(space, threads, subProgress(control, 0, GROWN))))
    return buildRayBvh(positions, corners, threads.allocate, spare);
  const triangles = new Uint32Array(threads.allocate(4 * T));
  orderInto(triangles, space);
  const verts = vertsOf(space.tree, T);
  const leaves = { verts, triangles, positions: seenByAll(positions, threads.allocate), corners: seenByAll(corners, threads.allocate) };
  await threads.run(
    gatherLeaves,
    leaves,
    rangesOf(T, Math.ceil(T / (RANGES * threads.count))),
    () => undefined,
    subProgress(control, GROWN, 1),
  );
  return { verts, triangles, largest: largestCoordinate(space.tree), binary: null, wide: space.tree };
}

/** @returns false where a range is too deep for the kernel */
async function isGrown(space: BuildSpace, threads: Threads, control: RunControl): Promise<boolean> {
  const T = space.triangles;
  const whole = T / (RANGES * threads.count);
  const tasks: Step[] = rangesOf(T, Math.ceil(T / (2 * threads.count))).map((range) => ({ step: 'record', ...range }));
  let recording = tasks.length;
  let tops = 1;
  let isTooDeep = false;
  let built = 0;
  const add = (range: Range, node: number): void => {
    const count = range.to - range.from;
    if (count <= MAX_LEAF) return;
    if (count > whole && tops + WIDE <= TOPS) {
      tasks.push({ step: 'part', ...range, node, child: tops });
      tops += WIDE;
    } else tasks.push({ step: 'build', ...range, node, next: TOPS + mostNodes(range.from) });
  };
  await threads.run(
    growTree,
    space,
    tasks,
    (children, i) => {
      const task = tasks[i];
      if (task.step === 'record' && --recording === 0) add({ from: 0, to: T }, 0);
      if (task.step === 'part') children?.forEach((range, k) => { add(range, task.child + k); }); // prettier-ignore
      isTooDeep ||= children === null;
      if (task.step === 'build') control.onProgress?.((built += task.to - task.from) / T, growTree.name);
    },
    stopOf(control),
  );
  return !isTooDeep;
}
