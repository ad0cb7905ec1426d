import type { PolyMesh } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { commonMemory } from '../runtime/threads';
import type { ExtractOptions } from './extract-options';
import type { SpanBase } from './span-base';
import { spanBase } from './span-base';
import type { StackLevel } from './stack-match';
import { stackLevel } from './stack-match';

/** What is made of two meshes before they are measured. */
export type Side =
  | { readonly of: 'base'; readonly low: PolyMesh; readonly options: ExtractOptions; readonly levels: number | null }
  | { readonly of: 'stack'; readonly low: PolyMesh; readonly sculpt: PolyMesh };

/** What another thread made of them. Not asked for is null, as is the stack of meshes that are none. */
interface Made {
  readonly base: SpanBase | null;
  readonly stack: (Omit<StackLevel, 'mesh'> & { readonly mesh: PolyMesh | null }) | null;
}

/** Refines a base, or sees how two levels lie on each other, on another thread. */
export const prepareSide: Kernel<null, Side, Made> = {
  name: 'prepare-side',
  run(_, side) {
    if (side.of === 'base') return { base: spanBase(side.low, side.options, side.levels, commonMemory), stack: null };
    const stack = stackLevel(side.low, side.sculpt);
    // who asks has the sculpt, and gets it back only where it was renumbered
    return { base: null, stack: stack?.points === null ? { ...stack, mesh: null } : stack };
  },
};

/** Makes sides on other threads. @throws CancelledError; what the makers throw */
export async function sidesBeside(sides: readonly Side[], threads: Threads, control?: RunControl): Promise<Made> {
  let made: Made = { base: null, stack: null };
  const take = ({ base, stack }: Made): void => { made = { base: base ?? made.base, stack: stack ?? made.stack }; }; // prettier-ignore
  await threads.run(prepareSide, null, sides, take, stopOf(control));
  return made;
}
