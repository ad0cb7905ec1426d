import type { RunControl } from '../runtime/progress';
import type { Kernel, Range, Threads } from '../runtime/threads';
import { rangesOf, seenByAll } from '../runtime/threads';
import type { WasmMemory } from '../runtime/wasm';
import type { BuildKernel, BuildSpace } from './build-kernel';
import { buildKernelOn, buildSpace, copyOrder, nodesIn } from './build-kernel';
import type { Bvh } from './bvh';
import { buildRayBvh, gatherCorners, largestCoordinate, MAX_LEAF, requireFewEnough } from './bvh';
import { asBinary } from './tree-node';
import type { WideTree } from './wide-tree';
import { wideMemory, widenInto } from './wide-tree';

/** Below this many triangles telling each other takes longer than building. */
const LEAST = 50_000;
/** Nodes above the ranges that one thread builds whole. */
const MOST_TOPS = 1024;
/** Ranges a thread, so that all end at about the same time. */
const RANGES = 12;

/** Over a range of the records. */
type Step = Range &
  (
    | { readonly step: 'record' }
    | { readonly step: 'part'; readonly node: number; readonly left: number; readonly right: number }
    | { readonly step: 'build'; readonly node: number; readonly next: number }
  );

const kernels = new WeakMap<BuildSpace, BuildKernel>();
function kernelOf(space: BuildSpace): BuildKernel {
  const known = kernels.get(space) ?? buildKernelOn(space);
  kernels.set(space, known);
  return known;
}

/** A step of building in memory that all threads see. It gives what the kernel gives: where a range was parted, or the node behind the last. */
export const growTree: Kernel<BuildSpace, Step, number> = {
  name: 'grow-tree',
  run(space, task) {
    const kernel = kernelOf(space);
    const { recordsAt, nodesAt } = space;
    const { from, to } = task;
    switch (task.step) {
      case 'record':
        kernel.record(space.positionsAt, space.cornersAt, recordsAt, from, to);
        return to;
      case 'part':
        return kernel.part(recordsAt, nodesAt, from, to, task.node, task.left, task.right);
      case 'build':
        return kernel.build(recordsAt, nodesAt, from, to, task.node, task.next);
    }
  },
};

interface Leaves {
  readonly space: BuildSpace;
  readonly wide: WideTree;
  readonly verts: Float32Array; // 9 T, in the tree's memory
  readonly triangles: Uint32Array; // T
  readonly positions: Float32Array;
  readonly corners: Uint32Array; // 3 T
}

/** Writes the leaf slots of a range, or where none is given the wide nodes. */
export const fillTree: Kernel<Leaves, Range | null, null> = {
  name: 'fill-tree',
  run({ space, wide, verts, triangles, positions, corners }, range) {
    if (range === null) widenInto(wide, asBinary(nodesIn(space, MOST_TOPS + triangles.length)));
    else {
      copyOrder(space, triangles, range.from, range.to);
      gatherCorners(verts, positions, corners, triangles, range.from, range.to);
    }
    return null;
  },
};

/** The tree that `buildRayBvh` builds, word by word, by all threads: the large ranges are parted by whoever is free, those below them are built
 *  whole by one thread each (as Wald 2007 builds in parallel). Where there are no others, or the host has no memory that they share, it is that one.
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
  const space = threads.count < 2 || T < LEAST ? null : buildSpace(positions, corners, MOST_TOPS + T, threads.count);
  const stop = control?.signal === undefined ? {} : { signal: control.signal };
  const used = space && (await grownBy(space, T, threads, stop));
  const wide = used === null ? null : wideMemory(T, used, spare);
  if (space === null || wide === null) return buildRayBvh(positions, corners, threads.allocate, spare);
  const verts = new Float32Array(wide.memory.buffer, wide.vertsAt, 9 * T);
  const triangles = new Uint32Array(threads.allocate(4 * T));
  const leaves = {
    space, wide, verts, triangles,
    positions: seenByAll(positions, threads.allocate), corners: seenByAll(corners, threads.allocate),
  }; // prettier-ignore
  await threads.run(fillTree, leaves, [null, ...rangesOf(T, Math.ceil(T / (RANGES * threads.count)))], () => undefined, stop);
  return { verts, triangles, largest: largestCoordinate(nodesIn(space, 1)), binary: null, wide };
}

/** @returns nodes used; null where a range is too deep for the kernel */
async function grownBy(space: BuildSpace, T: number, threads: Threads, stop: RunControl): Promise<number | null> {
  const whole = T / (RANGES * threads.count);
  const tasks: Step[] = rangesOf(T, Math.ceil(T / (2 * threads.count))).map((range) => ({ step: 'record', ...range }));
  let recording = tasks.length;
  let tops = 1;
  let below = 0;
  let isTooDeep = false;
  const add = (from: number, to: number, node: number): void => {
    if (to - from <= MAX_LEAF) return;
    if (to - from > whole && tops + 2 <= MOST_TOPS) tasks.push({ step: 'part', from, to, node, left: tops++, right: tops++ });
    else tasks.push({ step: 'build', from, to, node, next: MOST_TOPS + from });
  };
  await threads.run(
    growTree,
    space,
    tasks,
    (given, i) => {
      const task = tasks[i];
      switch (task.step) {
        case 'record':
          if (--recording === 0) add(0, T, 0);
          break;
        case 'part':
          add(task.from, given, task.left);
          add(given, task.to, task.right);
          break;
        case 'build':
          if (given < 0) isTooDeep = true;
          else below += given - task.next;
      }
    },
    stop,
  );
  return isTooDeep ? null : tops + below;
}
