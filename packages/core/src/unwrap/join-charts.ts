import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Chain, Cut } from './cut';
import { facesOf, openChain, seamChains } from './cut';
import type { IslandLimits } from './lay-flat';
import type { Trials } from './trials';

export interface JoinOptions {
  /** How much rather a seam is opened that costs little stretch: a gain is divided by 1 + this times the stretch over 1. */
  readonly stretchMatters: number;
  /** Share of the surface that an island may grow to. */
  readonly share: number;
  /** And the share of scraps, which it takes up even where it then grows beyond that. */
  readonly scrap: number;
  /** Whether an island that would cover a place twice, or too little of its hull, is tried again once it has grown; that takes its time. */
  readonly patient?: boolean;
}

/** A seam is opened without looking at those that cost less than this over its gain: looking is what takes time. */
const ENOUGH = 0.8;

/** Opens seams, the dearest for the least stretch first, as long as what hangs together can be laid flat within the limits.
 *  @throws CancelledError */
export function joinCharts(
  cut: Cut,
  limits: IslandLimits,
  trials: Trials,
  { stretchMatters, share, scrap, patient = true }: JoinOptions,
  control?: RunControl,
): void {
  const { graph, cost, seam } = cut;
  const known = new Map<string, { readonly gain: number; readonly version: number }>();
  const version = new Map<number, number>();
  const versionOf = ([a, b]: readonly [number, number]): number => (version.get(a) ?? 0) * 65536 + (version.get(b) ?? 0);
  // what stretches too much still does when its charts have grown
  const hopeless = new Uint8Array(seam.length);
  const worth = ({ edges }: Chain): number => edges.reduce((sum, e) => sum + cost[e], 0);
  const whole = areaOf(cut, cut.chartOf.keys());
  const tooLarge = ([a, b]: readonly [number, number]): boolean => {
    if (a === b || share >= 1) return false;
    const [one, other] = [a, b].map((chart) => areaOf(cut, cut.faces.get(chart) ?? []));
    return one + other > share * whole && Math.min(one, other) > scrap * whole;
  };
  const gainOf = (chain: Chain): number => {
    const { edges, charts } = chain;
    if (tooLarge(charts)) return 0;
    const opened = new Set(edges);
    const flat = trials.layFlat(graph, facesOf(cut, charts), (e) => seam[e] === 1 && !opened.has(e), limits);
    if (flat === 'beyond' || (flat === 'spread' && !patient)) for (const e of edges) hopeless[e] = 1;
    return typeof flat === 'number' ? worth(chain) / (1 + stretchMatters * (flat - 1)) : 0;
  };
  for (;;) {
    let best: { chain: Chain; gain: number } | null = null;
    const chains = seamChains(cut).filter(({ edges }) => edges.every((e) => hopeless[e] === 0));
    for (const chain of chains.sort((a, b) => worth(b) - worth(a))) {
      throwIfAborted(control);
      // none of those left can gain much more
      if (ENOUGH * worth(chain) <= (best?.gain ?? 0)) break;
      const key = `${chain.edges[0]} ${chain.edges[chain.edges.length - 1]} ${chain.edges.length} ${chain.charts.join(' ')}`;
      let found = known.get(key);
      if (found?.version !== versionOf(chain.charts)) {
        found = { gain: gainOf(chain), version: versionOf(chain.charts) };
        known.set(key, found);
      }
      if (found.gain > (best?.gain ?? 0)) best = { chain, gain: found.gain };
    }
    if (best === null) return;
    openChain(cut, best.chain);
    const [a] = best.chain.charts;
    version.set(a, (version.get(a) ?? 0) + 1);
  }
}

function areaOf({ graph }: Cut, faces: Iterable<number>): number {
  let sum = 0;
  for (const f of faces) sum += graph.faceArea[f];
  return sum;
}
