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
import { looksInOrder, NOTHING_KNOWN, stackLevel } from './stack-match';

/** What is made of two meshes before they are measured. */
type Side =
  | { readonly of: 'base'; readonly low: PolyMesh; readonly options: ExtractOptions; readonly levels: number | null }
  | { readonly of: 'links'; readonly sculpt: PolyMesh }
  | { readonly of: 'stack'; readonly low: PolyMesh; readonly sculpt: PolyMesh; readonly known: KnownOfStack };

/** What another thread made of them; what was not asked for is null. */
interface Made {
  readonly base: SpanBase | null;
  /** The corner across each edge of the sculpt. */
  readonly across: Uint32Array | null;
  /** Null also where the two are no stack. */
  readonly stack: (Omit<StackLevel, 'mesh'> & { readonly mesh: PolyMesh | null }) | null;
}
const NOTHING_MADE: Made = { base: null, across: null, stack: null };

/** Refines a base, links a sculpt's faces, or sees how the two lie on each other, on another thread. */
export const prepareSide: Kernel<null, Side, Made> = {
  name: 'prepare-side',
  run(_, side) {
    switch (side.of) {
      case 'base':
        return { ...NOTHING_MADE, base: spanBase(side.low, side.options, side.levels, commonMemory) };
      case 'links':
        return { ...NOTHING_MADE, across: placeU32(acrossEdges(side.sculpt), commonMemory) };
      case 'stack': {
        const stack = stackLevel(side.low, side.sculpt, undefined, side.known);
        // who asks has the sculpt, and gets it back only where it was renumbered
        return { ...NOTHING_MADE, stack: stack?.points === null ? { ...stack, mesh: null } : stack };
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
): Promise<{ readonly base: SpanBase; readonly stack: Made['stack'] }> {
  const tasks: Side[] = [{ of: 'base', low, options, levels }];
  const isLinked = levels !== null && !isHurried && !looksInOrder(low, sculpt, levels);
  // the longest first
  if (levels !== null && isHurried) tasks.unshift({ of: 'stack', low, sculpt, known: NOTHING_KNOWN });
  if (isLinked) tasks.push({ of: 'links', sculpt });
  const most = tasks.length + Number(levels !== null && !isHurried);
  const stage = levels === null ? 'subdividing' : 'matching';
  control?.onProgress?.(0, stage);
  let done = 0;
  let base: SpanBase | null = null;
  let across: Uint32Array | null = null;
  let stack: Made['stack'] = null;
  await threads.run(
    prepareSide,
    null,
    tasks,
    (made) => {
      control?.onProgress?.(++done / most, stage);
      if (made.base === null && made.across === null) {
        ({ stack } = made);
        return;
      }
      base ??= made.base;
      across ??= made.across;
      if (base === null || levels === null || isHurried || (isLinked && across === null)) return;
      tasks.push({ of: 'stack', low, sculpt, known: { refined: refinedOf(base, options, levels), across } });
    },
    stopOf(control),
  );
  if (base === null) throw new Error('a base was not made');
  return { base, stack };
}
