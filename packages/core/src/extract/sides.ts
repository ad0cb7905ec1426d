import { acrossEdges } from '../mesh/linked-corners';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { commonMemory, placeU32 } from '../runtime/threads';
import type { ExtractOptions } from './extract-options';
import type { SpanBase } from './span-base';
import { spanBase } from './span-base';
import { refinedOf } from './span-pair';
import type { KnownOfStack, StackLevel } from './stack-match';
import { looksInOrder, refinedAlone, stackLevel } from './stack-match';

/** What is made of two meshes before they are measured. */
type Side =
  | { readonly of: 'base'; readonly low: PolyMesh; readonly options: ExtractOptions; readonly levels: number | null }
  | { readonly of: 'level'; readonly low: PolyMesh; readonly levels: number }
  | { readonly of: 'links'; readonly sculpt: PolyMesh }
  | { readonly of: 'stack'; readonly low: PolyMesh; readonly sculpt: PolyMesh; readonly known: KnownOfStack };

/** What another thread made of them. */
type Made =
  | { readonly of: 'base'; readonly base: SpanBase }
  | { readonly of: 'level'; readonly mesh: PolyMesh }
  /** The corner across each edge of the sculpt. */
  | { readonly of: 'links'; readonly across: Uint32Array }
  | { readonly of: 'stack'; readonly stack: FoundStack };

/** Null where the two are no stack; the mesh null where it is the one that was given. */
type FoundStack = (Omit<StackLevel, 'mesh'> & { readonly mesh: PolyMesh | null }) | null;

/** Refines a base or a light mesh, links a sculpt's faces, or sees how the two lie on each other, on another thread. */
export const prepareSide: Kernel<null, Side, Made> = {
  name: 'prepare-side',
  run(_, side) {
    const { of } = side;
    switch (of) {
      case 'base':
        return { of, base: spanBase(side.low, side.options, side.levels, commonMemory) };
      case 'level':
        return { of, mesh: refinedAlone(side.low, side.levels) };
      case 'links':
        return { of, across: placeU32(acrossEdges(side.sculpt), commonMemory) };
      case 'stack': {
        const stack = stackLevel(side.low, side.sculpt, undefined, side.known);
        // who asks has the sculpt, and gets it back only where it was renumbered
        return { of, stack: stack?.points === null ? { ...stack, mesh: null } : stack };
      }
    }
  },
};

/** Two meshes before they are measured. */
interface Sides {
  readonly low: PolyMesh;
  readonly sculpt: PolyMesh;
  readonly options: ExtractOptions;
  /** Between the two by counting; null where the sculpt is not looked at as a level of the light mesh. */
  readonly levels: number | null;
  /** Whether the light mesh is refined a second time for the sculpt instead of waiting for the base, where other threads would have nothing to do. */
  readonly isHurried: boolean;
}

/** A base and how a sculpt lies on it, by other threads. @throws CancelledError; what the makers throw */
export async function sidesBeside(
  { low, sculpt, options, levels, isHurried }: Sides,
  threads: Threads,
  control?: RunControl,
): Promise<{ readonly base: SpanBase; readonly stack: FoundStack }> {
  const isLinked = levels !== null && !looksInOrder(low, sculpt, levels);
  const tasks: Side[] = [{ of: 'base', low, options, levels }];
  if (levels !== null && isHurried) tasks.unshift({ of: 'level', low, levels });
  // the longest way leads over the links, and behind them waits the matching
  if (isLinked) tasks.splice(isHurried ? 0 : 1, 0, { of: 'links', sculpt });
  const most = tasks.length + Number(levels !== null);
  const stage = levels === null ? 'subdividing' : 'matching';
  control?.onProgress?.(0, stage);
  let done = 0;
  let base: SpanBase | null = null;
  let refined: PolyMesh | null | undefined;
  let across: Uint32Array | null = null;
  let stack: FoundStack = null;
  await threads.run(
    prepareSide,
    null,
    tasks,
    (made) => {
      control?.onProgress?.(++done / most, stage);
      switch (made.of) {
        case 'base':
          ({ base } = made);
          if (levels !== null && !isHurried) refined = refinedOf(base, options, levels);
          break;
        case 'level':
          refined = made.mesh;
          break;
        case 'links':
          ({ across } = made);
          break;
        case 'stack':
          ({ stack } = made);
      }
      const isAsked = tasks.some((task) => task.of === 'stack');
      if (refined === undefined || (isLinked && across === null) || isAsked) return;
      tasks.push({ of: 'stack', low, sculpt, known: { refined, across } });
    },
    stopOf(control),
  );
  if (base === null) throw new Error('a base was not made');
  return { base, stack };
}
