import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import type { Cut } from './cut';
import { connectedParts } from './cut';
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

/** Share of the tiles that islands should cover: below it, seams may be longer by twice the share that the use grows by. */
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

/** Parts what cannot stay whole into nearly flat pieces, and joins these again. */
export function cutIntoIslands(cut: Cut, limits: IslandLimits, packing: PackOptions | null, control?: RunControl): void {
  const { graph, seam, cost } = cut;
  const all = Uint32Array.from(cut.chartOf.keys());
  // what cannot lie flat is parted into flatter and flatter pieces
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
  renumber(cut);
  straightenSeams(cut, ASKED_FOR, control);
  const trials = new Trials();
  if (packing === null) {
    joinCharts(cut, limits, trials, { share: 1, stretchMatters: 8, scrap: 0 }, control);
    straightenSeams(cut, limits, control);
    return;
  }
  // one island that is odd in shape leaves the rest of its tile empty: short seams against the tile's use
  const pieces = seam.slice();
  let best = { use: 0, score: Infinity, seam: pieces };
  for (const [n, way] of TRIES.entries()) {
    if (n >= TRY_ALL && best.use >= WELL_PACKED) break;
    const share = subProgress(control, n / TRIES.length, (n + 1) / TRIES.length);
    share?.onProgress?.(0, 'placing seams');
    seam.set(pieces);
    renumber(cut);
    joinCharts(cut, limits, trials, way, share);
    straightenSeams(cut, limits, share);
    joinCharts(cut, limits, trials, way, share);
    const whole = seam.reduce((sum, s, e) => sum + s * graph.passable[e] * cost[e], 0);
    if (whole / WELL_PACKED ** 2 >= best.score) continue;
    const use = packedUse(laidIslands(cut, TRIAL), packing, share);
    const score = whole / Math.min(use, WELL_PACKED) ** 2;
    if (score < best.score) best = { use, score, seam: seam.slice() };
  }
  seam.set(best.seam);
  renumber(cut);
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
