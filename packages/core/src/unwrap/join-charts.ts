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

/** What opening a seam would gain, and the stretch of what then hangs together, as its charts were then. */
interface Looked {
  readonly at: string;
  readonly gain: number;
  readonly stretch: number;
}

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
  const known = new Map<string, Looked>();
  const version = new Map<number, number>();
  const stretchOf = new Map<number, number>(); // of charts that were joined
  const versionOf = ([a, b]: readonly [number, number]): string => `${a} ${version.get(a) ?? 0} ${b} ${version.get(b) ?? 0}`;
  // what stretches too much still does when its charts have grown
  const hopeless = new Uint8Array(seam.length);
  const worth = ({ edges }: Chain): number => edges.reduce((sum, e) => sum + cost[e], 0);
  const discounted = (chain: Chain, stretch: number): number => worth(chain) / (1 + stretchMatters * (stretch - 1));
  const whole = areaOf(cut, cut.chartOf.keys());
  const tooLarge = ([a, b]: readonly [number, number]): boolean => {
    if (a === b || share >= 1) return false;
    const [one, other] = [a, b].map((chart) => areaOf(cut, cut.faces.get(chart) ?? []));
    return one + other > share * whole && Math.min(one, other) > scrap * whole;
  };
  const look = (chain: Chain): Looked => {
    const { edges, charts } = chain;
    const at = versionOf(charts);
    if (tooLarge(charts)) return { at, gain: 0, stretch: Infinity };
    const opened = new Set(edges);
    const flat = trials.layFlat(graph, facesOf(cut, charts), (e) => seam[e] === 1 && !opened.has(e), limits);
    if (flat === 'beyond' || (flat === 'spread' && !patient)) for (const e of edges) hopeless[e] = 1;
    return typeof flat === 'number' ? { at, gain: discounted(chain, flat), stretch: flat } : { at, gain: 0, stretch: Infinity };
  };
  /** What a seam can gain at most: charts that are joined stretch at least as much as each alone, and more the larger they have grown. */
  const atMost = (chain: Chain, seen: Looked | undefined): number => {
    if (seen?.at === versionOf(chain.charts)) return seen.gain;
    const own = discounted(chain, leastStretch(chain.charts));
    return !patient && seen !== undefined && seen.gain > 0 ? Math.min(own, seen.gain) : own;
  };
  const leastStretch = (charts: readonly [number, number]): number => {
    let [sum, area] = [0, 0];
    for (const chart of new Set(charts)) {
      const own = areaOf(cut, cut.faces.get(chart) ?? []);
      sum += own * (stretchOf.get(chart) ?? 1);
      area += own;
    }
    return area > 0 ? sum / area : 1;
  };
  for (;;) {
    const chains = seamChains(cut)
      .filter(({ edges }) => edges.every((e) => hopeless[e] === 0))
      .map((chain) => ({ chain, key: `${chain.edges[0]} ${chain.edges[chain.edges.length - 1]} ${chain.edges.length}` }))
      .map(({ chain, key }) => ({ chain, key, most: atMost(chain, known.get(key)) }))
      .sort((a, b) => b.most - a.most);
    let best: { chain: Chain; looked: Looked } | null = null;
    for (const { chain, key, most } of chains) {
      throwIfAborted(control);
      // none of those left can gain more
      if (most <= (best?.looked.gain ?? 0)) break;
      let looked = known.get(key);
      if (looked?.at !== versionOf(chain.charts)) {
        looked = look(chain);
        known.set(key, looked);
      }
      if (looked.gain > (best?.looked.gain ?? 0)) best = { chain, looked };
    }
    if (best === null) return;
    openChain(cut, best.chain);
    const [a] = best.chain.charts;
    version.set(a, (version.get(a) ?? 0) + 1);
    stretchOf.set(a, best.looked.stretch);
  }
}

function areaOf({ graph }: Cut, faces: Iterable<number>): number {
  let sum = 0;
  for (const f of faces) sum += graph.faceArea[f];
  return sum;
}
