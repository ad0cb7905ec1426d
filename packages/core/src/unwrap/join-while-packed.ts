import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Chain, Cut } from './cut';
import { facesOf, openChain, renumber, seamChains } from './cut';
import { TRIAL } from './flatten';
import type { IslandLimits } from './lay-flat';
import { isIsland, laidIslands, layFlat } from './lay-flat';
import type { PackOptions } from './pack';
import { packedUse } from './pack';

/** Share of the tiles that islands should cover: below it, seams may be longer by four times the share that the use grows by. */
export const WELL_PACKED = 0.57;
/** Seams that are opened once more at the end, at most. */
const MOST_LOOKS = 16;
const FEW_LOOKS = 4;
/** Beyond this many faces the first way that packs well is taken, and what fails once is not tried again: each try costs seconds. */
export const MANY_FACES = 6000;

/** What a cut is worth: its seams' cost, dearer where its islands would leave much of their tiles empty. */
export const scoreOf = (cost: number, use: number): number => cost / Math.min(use, WELL_PACKED) ** 4;
export const seamCostOf = ({ graph, seam, cost }: Cut): number => seam.reduce((sum, s, e) => sum + s * graph.passable[e] * cost[e], 0);

/** Opens one seam after another, the dearest first, where that is worth what it takes from the packing. @throws CancelledError */
export function joinWhilePacked(cut: Cut, limits: IslandLimits, packing: PackOptions, score: number, control?: RunControl): void {
  const { graph, seam, cost } = cut;
  const worth = ({ edges }: Chain): number => edges.reduce((sum, e) => sum + cost[e], 0);
  const looked = new Set<string>();
  for (let best = score, looks = 0; looks < (cut.chartOf.length > MANY_FACES ? FEW_LOOKS : MOST_LOOKS);) {
    throwIfAborted(control);
    const chain = seamChains(cut)
      .sort((a, b) => worth(b) - worth(a))
      .find(({ edges }) => !looked.has(edges.join(' ')) && looked.add(edges.join(' ')) !== undefined);
    if (chain === undefined) return;
    const opened = new Set(chain.edges);
    if (!isIsland(layFlat(graph, facesOf(cut, chain.charts), (e) => seam[e] === 1 && !opened.has(e), limits, TRIAL))) continue;
    const before = seam.slice();
    openChain(cut, chain);
    looks++;
    const cheaper = seamCostOf(cut);
    const now = scoreOf(cheaper, WELL_PACKED) < best ? scoreOf(cheaper, packedUse(laidIslands(cut, TRIAL), packing, control)) : Infinity;
    if (now < best) {
      best = now;
      continue;
    }
    seam.set(before);
    renumber(cut);
  }
}
