import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import { beginLighter, COARSE_FACES } from './begin-lighter';
import type { Cut } from './cut';
import { renumber } from './cut';
import { TRIAL } from './flatten';
import type { JoinOptions } from './join-charts';
import { joinCharts } from './join-charts';
import { joinWhilePacked, MANY_FACES, scoreOf, seamCostOf, WELL_PACKED } from './join-while-packed';
import type { IslandLimits } from './lay-flat';
import { laidIslands } from './lay-flat';
import type { PackOptions } from './pack';
import { packedUse } from './pack';
import { partFlat } from './part-flat';
import { straightenSeams } from './straighten';
import { Trials } from './trials';

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
/** A way with more seams must be better by this share than one with fewer. */
const BETTER = 0.03;

/** Parts what cannot stay whole into nearly flat pieces, and joins these again; on a lighter stand-in where the surface has many faces. */
export function cutIntoIslands(cut: Cut, limits: IslandLimits, packing: PackOptions | null, control?: RunControl): void {
  const begin = packing !== null && cut.chartOf.length > 2 * COARSE_FACES;
  if (begin) beginLighter(cut, limits, subProgress(control, 0, 0.3));
  partAndJoin(cut, limits, packing, subProgress(control, begin ? 0.3 : 0, 1));
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
  let best = { use: 0, score: Infinity, whole: 0, seam: pieces };
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
    if (score < best.score * (whole > best.whole ? 1 - BETTER : 1)) best = { use, score, whole, seam: seam.slice() };
  }
  seam.set(best.seam);
  renumber(cut);
  joinWhilePacked(cut, limits, packing, best.score, control);
}
