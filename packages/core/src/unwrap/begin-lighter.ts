import type { RunControl } from '../runtime/progress';
import { coarsen } from './coarse';
import type { Cut } from './cut';
import { renumber } from './cut';
import type { JoinOptions } from './join-charts';
import { joinCharts } from './join-charts';
import type { IslandLimits } from './lay-flat';
import { ASKED_FOR } from './lay-flat';
import { partFlat } from './part-flat';
import { straightenSeams } from './straighten';
import { Trials } from './trials';

/** Polygons of the stand-in; its form is too rough for more than a beginning. */
export const COARSE_FACES = 700;
const BEGINNING: JoinOptions = { share: 0.12, stretchMatters: 8, scrap: 0.02 };

/** Seams to begin with, found on a lighter stand-in of a surface. @throws CancelledError */
export function beginLighter(cut: Cut, limits: IslandLimits, control?: RunControl): void {
  const { graph, cost, kept, seam } = cut;
  const { graph: light, chains } = coarsen(graph, cost, (e) => seam[e] === 1, COARSE_FACES);
  const lightCut: Cut = {
    graph: light,
    cost: Float64Array.from(chains, (chain) => chain.reduce((sum, e) => sum + cost[e], 0)),
    seam: Uint8Array.from(chains, (chain, e) => (light.passable[e] === 1 && chain.every((fine) => seam[fine] === 0) ? 0 : 1)),
    kept: Uint8Array.from(chains, (chain) => (chain.some((e) => kept[e] === 1) ? 1 : 0)),
    chartOf: new Uint32Array(light.faceArea.length),
    faces: new Map(),
  };
  partFlat(lightCut, limits);
  renumber(lightCut);
  straightenSeams(lightCut, ASKED_FOR, control);
  // the worst triangle of a stand-in says nothing about the surface
  const rough = { ...limits, ratio: Infinity, stretch: 1 + (limits.stretch - 1) / 2 };
  joinCharts(lightCut, rough, new Trials(), BEGINNING, control);
  chains.forEach((chain, e) => {
    if (lightCut.seam[e] === 1) for (const fine of chain) seam[fine] = 1;
  });
  renumber(cut);
}
