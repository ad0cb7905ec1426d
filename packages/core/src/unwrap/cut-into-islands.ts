import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import type { Coarse } from './coarse';
import { coarsen } from './coarse';
import type { Chain, Cut } from './cut';
import { connectedParts, facesOf, openChain, seamChains } from './cut';
import type { FlattenOptions } from './flatten';
import { TRIAL } from './flatten';
import type { JoinOptions } from './join-charts';
import { joinCharts } from './join-charts';
import type { IslandLimits, LaidFlat } from './lay-flat';
import { isIsland, layFlat } from './lay-flat';
import { MOST_SPREAD, nearFlatPieces } from './near-flat';
import type { FlatIsland, PackOptions } from './pack';
import { packedUse } from './pack';
import { straightenSeams } from './straighten';
import { Trials } from './trials';

/** Of islands whose seams were asked for: they are parted further only where they cannot be had at all. */
export const ASKED_FOR: IslandLimits = { stretch: Infinity, ratio: Infinity, fill: 0 };

/** Share of the tiles that islands should cover: below it, seams may be longer by four times the share that the use grows by. */
const WELL_PACKED = 0.57;
/** Ways of joining that are tried, the first ones all, the rest until islands pack well (found on the demo's meshes and a hand). */
const TRIES: readonly JoinOptions[] = [
  { share: 1, stretchMatters: 0, scrap: 0 },
  { share: 1, stretchMatters: 8, scrap: 0 },
  { share: 0.65, stretchMatters: 8, scrap: 0.04 },
  { share: 0.65, stretchMatters: 8, scrap: 0.01 },
  { share: 0.35, stretchMatters: 8, scrap: 0.02 },
  { share: 0.2, stretchMatters: 8, scrap: 0.02 },
  { share: 0.1, stretchMatters: 8, scrap: 0.01 },
];
const TRY_ALL = 3;
/** Beyond this many faces the first way that packs well is taken, and what fails once is not tried again: each try costs seconds. */
const MANY_FACES = 6000;
/** Seams that are opened once more at the end, at most. */
const MOST_LOOKS = 16;
const FEW_LOOKS = 4;
/** On a stand-in. */
const BEGINNING: JoinOptions = { share: 0.12, stretchMatters: 8, scrap: 0.02 };

/** Polygons of the stand-in that the beginning is made on, where a surface has more than twice as many; its form is too rough for more. */
const COARSE_FACES = 700;

/** Parts what cannot stay whole into nearly flat pieces, and joins these again; on a lighter stand-in where the surface has many faces. */
export function cutIntoIslands(cut: Cut, limits: IslandLimits, packing: PackOptions | null, control?: RunControl): void {
  const begin = packing !== null && cut.chartOf.length > 2 * COARSE_FACES;
  if (begin) {
    const light = lighter(cut, COARSE_FACES);
    partFlat(light.cut, limits);
    renumber(light.cut);
    straightenSeams(light.cut, ASKED_FOR, control);
    // the worst triangle of a stand-in says nothing about the surface
    joinCharts(
      light.cut,
      { ...limits, ratio: Infinity, stretch: 1 + (limits.stretch - 1) / 2 },
      new Trials(),
      BEGINNING,
      subProgress(control, 0, 0.3),
    );
    takeOver(cut, light);
  }
  partAndJoin(cut, limits, packing, subProgress(control, begin ? 0.3 : 0, 1));
}

interface LighterCut extends Pick<Coarse, 'chains'> {
  readonly cut: Cut;
}

/** A cut of a stand-in, with the seams there are. */
function lighter({ graph, cost, kept, seam }: Cut, faces: number): LighterCut {
  const { graph: light, chains } = coarsen(graph, cost, (e) => seam[e] === 1, faces);
  const cut: Cut = {
    graph: light,
    cost: Float64Array.from(chains, (chain) => chain.reduce((sum, e) => sum + cost[e], 0)),
    seam: Uint8Array.from(chains, (chain, e) => (light.passable[e] === 1 && chain.every((fine) => seam[fine] === 0) ? 0 : 1)),
    kept: Uint8Array.from(chains, (chain) => (chain.some((e) => kept[e] === 1) ? 1 : 0)),
    chartOf: new Uint32Array(light.faceArea.length),
    faces: new Map(),
  };
  return { cut, chains };
}

function takeOver(cut: Cut, { cut: light, chains }: LighterCut): void {
  chains.forEach((chain, e) => {
    if (light.seam[e] === 1) for (const fine of chain) cut.seam[fine] = 1;
  });
  renumber(cut);
}

function partAndJoin(cut: Cut, limits: IslandLimits, packing: PackOptions | null, control?: RunControl): void {
  const { seam } = cut;
  partFlat(cut, limits);
  renumber(cut);
  straightenSeams(cut, limits, control);
  const trials = new Trials();
  if (packing === null) {
    joinCharts(cut, limits, trials, { share: 1, stretchMatters: 8, scrap: 0 }, control);
    straightenSeams(cut, limits, control);
    return;
  }
  // one island that is odd in shape leaves the rest of its tile empty: short seams against the tile's use
  const pieces = seam.slice();
  const many = cut.chartOf.length > MANY_FACES;
  let best = { use: 0, score: Infinity, seam: pieces };
  for (const [n, way] of TRIES.entries()) {
    if (n >= (many ? 1 : TRY_ALL) && best.use >= WELL_PACKED) break;
    const share = subProgress(control, n / TRIES.length, (n + 1) / TRIES.length);
    share?.onProgress?.(0, 'placing seams');
    seam.set(pieces);
    renumber(cut);
    joinCharts(cut, limits, trials, { ...way, patient: !many }, share);
    straightenSeams(cut, limits, share);
    joinCharts(cut, limits, trials, { ...way, patient: !many }, share);
    const whole = seamCostOf(cut);
    if (scoreOf(whole, WELL_PACKED) >= best.score) continue;
    const use = packedUse(laidIslands(cut, TRIAL), packing, share);
    const score = scoreOf(whole, use);
    if (score < best.score) best = { use, score, seam: seam.slice() };
  }
  seam.set(best.seam);
  renumber(cut);
  joinWhilePacked(cut, limits, packing, best.score, control);
}

/** What a cut is worth: its seams' cost, dearer where its islands would leave much of their tiles empty. */
const scoreOf = (cost: number, use: number): number => cost / Math.min(use, WELL_PACKED) ** 4;
const seamCostOf = ({ graph, seam, cost }: Cut): number => seam.reduce((sum, s, e) => sum + s * graph.passable[e] * cost[e], 0);

/** Opens one seam after another, the dearest first, where that is worth what it takes from the packing. */
function joinWhilePacked(cut: Cut, limits: IslandLimits, packing: PackOptions, score: number, control?: RunControl): void {
  const { graph, seam, cost } = cut;
  const worth = ({ edges }: Chain): number => edges.reduce((sum, e) => sum + cost[e], 0);
  const looked = new Set<string>();
  for (let best = score, looks = 0; looks < (cut.chartOf.length > MANY_FACES ? FEW_LOOKS : MOST_LOOKS);) {
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
    const now = cheaper / WELL_PACKED ** 2 < best ? scoreOf(cheaper, packedUse(laidIslands(cut, TRIAL), packing, control)) : Infinity;
    if (now < best) {
      best = now;
      continue;
    }
    seam.set(before);
    renumber(cut);
  }
}

/** Parts what cannot lie flat, into flatter and flatter pieces. */
function partFlat(cut: Cut, limits: IslandLimits): void {
  const { graph, seam, cost } = cut;
  const all = Uint32Array.from(cut.chartOf.keys());
  for (let spread = MOST_SPREAD; ; spread /= 3) {
    const asked = spread === MOST_SPREAD ? limits : ASKED_FOR;
    const bad = connectedParts(cut, all).filter(
      (faces) => faces.length > 1 && !isIsland(layFlat(graph, faces, (e) => seam[e] === 1, asked, TRIAL)),
    );
    if (bad.length === 0) break;
    const toPart = new Set(bad.flatMap((faces) => [...faces]));
    const pieces = nearFlatPieces(graph, cost, (e) => seam[e] === 1, spread > 1e-4 ? spread : -1);
    for (let e = 0; e < seam.length; e++) {
      const [f, g] = [graph.edgeFaces[2 * e], graph.edgeFaces[2 * e + 1]];
      if (graph.passable[e] === 1 && toPart.has(f) && pieces[f] !== pieces[g]) seam[e] = 1;
    }
  }
}

/** Numbers what hangs together. */
function renumber(cut: Cut): void {
  cut.faces.clear();
  connectedParts(cut, Uint32Array.from(cut.chartOf.keys())).forEach((faces, i) => {
    cut.faces.set(i, faces);
    for (const f of faces) cut.chartOf[f] = i;
  });
}

/** Each chart laid flat. */
export function laidIslands({ graph, seam, faces }: Cut, options: FlattenOptions): (FlatIsland & LaidFlat)[] {
  return [...faces.values()].map((own) => {
    for (const tried of [options, TRIAL]) {
      const flat = layFlat(graph, own, (e) => seam[e] === 1, ASKED_FOR, tried);
      if (isIsland(flat)) return { ...flat, triangles: flat.chart.triangles };
    }
    throw new Error('an island that could be laid flat no longer can');
  });
}
