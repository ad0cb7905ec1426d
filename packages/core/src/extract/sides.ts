import { acrossEdges } from '../mesh/across-edges';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { commonMemory, placeF32, placeU32 } from '../runtime/threads';
import { curvedLevels } from '../subdivision/base-surface';
import type { ExtractOptions } from './extract-options';
import type { SpanBase } from './span-base';
import { spanBase } from './span-base';
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
  /** The light mesh at the sculpt's level, before the base is made of it. */
  readonly refined: PolyMesh | null;
  /** The corner across each edge of the sculpt. */
  readonly across: Uint32Array | null;
  /** Null also where the two are no stack. */
  readonly stack: (Omit<StackLevel, 'mesh'> & { readonly mesh: PolyMesh | null }) | null;
}
const NOTHING_MADE: Made = { base: null, refined: null, across: null, stack: null };

/** Refines a base, links a sculpt's faces, or sees how the two lie on each other, on another thread. */
export const prepareSide: Kernel<null, Side, Made> = {
  name: 'prepare-side',
  run(_, side, tell) {
    switch (side.of) {
      case 'base': {
        const { low, options, levels } = side;
        const onLevel = (mesh: PolyMesh, level: number): void => {
          if (level === levels) tell?.({ ...NOTHING_MADE, refined: connectivityForAll(mesh) });
        };
        return { ...NOTHING_MADE, base: spanBase(low, options, levels, commonMemory, { onLevel }) };
      }
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

/** Points and faces of a mesh, in memory that all threads see. */
const connectivityForAll = (mesh: PolyMesh): PolyMesh => ({
  ...mesh,
  positions: placeF32(mesh.positions, commonMemory),
  faceOffsets: placeU32(mesh.faceOffsets, commonMemory),
  faceVerts: placeU32(mesh.faceVerts, commonMemory),
  uvs: null,
  faceUvs: null,
  colors: null,
});

/** Two meshes before they are measured. */
interface Sides {
  readonly low: PolyMesh;
  readonly sculpt: PolyMesh;
  readonly options: ExtractOptions;
  /** Between the two by counting; null where the sculpt is not looked at as a level of the light mesh. */
  readonly levels: number | null;
}

/** A base and how a sculpt lies on it, by other threads: how they lie is seen as soon as the light mesh is refined and the sculpt's faces are linked.
 *  @throws CancelledError; what the makers throw */
export async function sidesBeside(
  { low, sculpt, options, levels }: Sides,
  threads: Threads,
  control?: RunControl,
): Promise<{ readonly base: SpanBase; readonly stack: Made['stack'] }> {
  const tasks: Side[] = [{ of: 'base', low, options, levels }];
  const isLinked = levels !== null && !looksInOrder(low, sculpt, levels);
  if (isLinked) tasks.push({ of: 'links', sculpt });
  // a base that is not smooth tells nothing, and who sees how the two lie refines for itself
  const isRefined = levels !== null && levels <= curvedLevels(options.base);
  let known = NOTHING_KNOWN;
  const goOn = (): void => {
    if (levels !== null && (known.refined !== null || !isRefined) && (known.across !== null || !isLinked))
      tasks.push({ of: 'stack', low, sculpt, known });
  };
  goOn();
  const most = tasks.length + Number(levels !== null && !tasks.some(({ of }) => of === 'stack'));
  const stage = levels === null ? 'subdividing' : 'matching';
  control?.onProgress?.(0, stage);
  let done = 0;
  let base: SpanBase | null = null;
  let stack: Made['stack'] = null;
  await threads.run(
    prepareSide,
    null,
    tasks,
    ({ refined, across, ...made }) => {
      known = { refined: known.refined ?? refined, across: known.across ?? across };
      base ??= made.base;
      stack ??= made.stack;
      if (refined === null) control?.onProgress?.(++done / most, stage);
      if (refined !== null || across !== null) goOn();
    },
    stopOf(control),
  );
  if (base === null) throw new Error('a base was not made');
  return { base, stack };
}
