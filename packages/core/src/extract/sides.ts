import { acrossEdges } from '../mesh/across-edges';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import type { Kernel, Range, Threads } from '../runtime/threads';
import { beside, commonMemory, placeF32, placeU32, rangesOf, untold } from '../runtime/threads';
import { curvedLevels } from '../subdivision/base-surface';
import type { ExtractOptions } from './extract-options';
import type { SpanBase } from './span-base';
import { spanBase } from './span-base';
import type { KnownOfStack, StackLevel } from './stack-match';
import { looksInOrder, stackLevel } from './stack-match';
import type { BaseTriangles, TileBins } from './tile-bins';
import { binsOfOnlyTile } from './tile-bins';

/** What is made of two meshes before they are measured. */
type Side =
  | { readonly of: 'base'; readonly low: PolyMesh; readonly options: ExtractOptions; readonly levels: number | null }
  | { readonly of: 'bins'; readonly low: PolyMesh; readonly triangles: BaseTriangles; readonly height: number; readonly range: Range }
  | { readonly of: 'links'; readonly sculpt: PolyMesh }
  | { readonly of: 'stack'; readonly low: PolyMesh; readonly sculpt: PolyMesh; readonly known: KnownOfStack };

/** What another thread made of them; what was not asked for is null, or none. */
interface Made {
  /** Without its bins. */
  readonly base: SpanBase | null;
  /** The light mesh at the sculpt's level, before the base is made of it. */
  readonly refined: PolyMesh | null;
  /** Of the base, while all else is made of them. */
  readonly triangles: BaseTriangles | null;
  readonly bins: readonly TileBins[];
  /** The corner across each edge of the sculpt. */
  readonly across: Uint32Array | null;
  /** Null also where the two are no stack. */
  readonly stack: (Omit<StackLevel, 'mesh'> & { readonly mesh: PolyMesh | null }) | null;
}
const NOTHING_MADE: Made = { base: null, refined: null, triangles: null, bins: [], across: null, stack: null };

/** Refines a base, puts its triangles in bands, links a sculpt's faces, or sees how the two lie on each other, on another thread. */
export const prepareSide: Kernel<null, Side, Made> = {
  name: 'prepare-side',
  run(_, side, tell) {
    switch (side.of) {
      case 'base': {
        const { low, options, levels } = side;
        const onLevel = (mesh: PolyMesh, level: number): void => {
          if (level === levels) tell?.({ ...NOTHING_MADE, refined: connectivityForAll(mesh) });
        };
        const onTriangles = (triangles: BaseTriangles): void => tell?.({ ...NOTHING_MADE, triangles });
        return { ...NOTHING_MADE, base: spanBase(low, options, levels, commonMemory, { onLevel, onTriangles }) };
      }
      case 'bins':
        return { ...NOTHING_MADE, bins: binsOfOnlyTile(side.low, side.triangles, side.height, commonMemory, side.range) };
      case 'links':
        return { ...NOTHING_MADE, across: placeU32(acrossEdges(side.sculpt), commonMemory) };
      case 'stack': {
        const stack = stackLevel(side.low, side.sculpt, undefined, side.known, commonMemory);
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

/** A base that another thread makes, perhaps before there is a sculpt. */
export interface BegunBase {
  /** Between the light mesh and the sculpt by counting; null where the sculpt is not looked at as a level of the light mesh. */
  readonly levels: number | null;
  /** The light mesh at the sculpt's level, as soon as there is one; null where the base is not smooth so far. */
  readonly refined: Promise<PolyMesh | null>;
  readonly base: Promise<SpanBase>;
}

/** Ranges that a base's triangles are put in bands by, whoever is free: more than threads would often need, as one of them is busy for longer. */
const BINS_PARTS = 4;

/** Lets another thread make a base. @returns at once; its promises fail with what the makers throw, and with CancelledError */
export function beginBase(
  low: PolyMesh,
  options: ExtractOptions,
  levels: number | null,
  threads: Threads,
  control?: RunControl,
): BegunBase {
  // a base that is not smooth tells nothing, and who sees how the two lie refines for itself
  const isTold = levels !== null && levels <= curvedLevels(options.base);
  let tell: (mesh: PolyMesh | null) => void = () => undefined;
  const told = new Promise<PolyMesh | null>((resolve) => (tell = resolve));
  let bins: Promise<Made[]> | null = null;
  const hear = ({ refined, triangles }: Made): void => {
    if (refined !== null) tell(refined);
    if (triangles === null) return;
    const parts = rangesOf(triangles.lowFaces.length, Math.ceil(triangles.lowFaces.length / BINS_PARTS));
    const { height } = options;
    bins = untold(Promise.all(parts.map((range) => sideBy(threads, { of: 'bins', low, triangles, height, range }, control))));
  };
  const made = sideBy(threads, { of: 'base', low, options, levels }, control, hear).finally(() => tell(null));
  // it may fail while nobody waits for it yet
  const base = untold(
    made.then(async (side) => {
      if (side.base === null || bins === null) throw new Error('a base was not made');
      return { ...side.base, bins: (await bins).flatMap((part) => part.bins) };
    }),
  );
  return { levels, refined: isTold ? told : Promise.resolve(null), base };
}

/** A base that was begun and how a sculpt lies on it, by other threads: how they lie is seen as soon as the light mesh is refined and the sculpt's
 *  faces are linked. @throws CancelledError; what the makers throw */
export async function sidesBeside(
  begun: BegunBase,
  low: PolyMesh,
  sculpt: PolyMesh,
  threads: Threads,
  control?: RunControl,
): Promise<{ readonly base: SpanBase; readonly stack: Made['stack'] }> {
  const { levels } = begun;
  const stage = levels === null ? 'subdividing' : 'matching';
  let done = 0;
  const steps = levels === null ? 1 : 3;
  const after = async <T>(step: Promise<T>): Promise<T> => {
    const result = await step;
    control?.onProgress?.(++done / steps, stage);
    return result;
  };
  control?.onProgress?.(0, stage);
  const linked = async (of: number): Promise<Uint32Array | null> =>
    looksInOrder(low, sculpt, of) ? null : (await sideBy(threads, { of: 'links', sculpt }, control)).across;
  const matched = async (of: number): Promise<Made['stack']> => {
    const [refined, across] = await Promise.all([begun.refined, after(linked(of))]);
    return (await after(sideBy(threads, { of: 'stack', low, sculpt, known: { refined, across } }, control))).stack;
  };
  const [base, stack] = await Promise.all([after(begun.base), levels === null ? null : matched(levels)]);
  return { base, stack };
}

/** One of them: others wait for it, so it goes before what can be done in any order. */
const sideBy = (threads: Threads, side: Side, control: RunControl | undefined, onPart?: (part: Made) => void): Promise<Made> =>
  beside(prepareSide, null, side, threads, { ...control, goesFirst: true }, onPart);
