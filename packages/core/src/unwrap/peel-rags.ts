import type { Cut } from './cut';
import { connectedParts } from './cut';
import { acrossEdge } from './face-graph';
import type { IslandLimits } from './lay-flat';
import { mayBeIsland } from './lay-flat';

/** A face changes sides where that shortens the seam by at least this share. */
const WORTH = 0.02;
/** Rounds of giving up charts that would go beyond the limits, and faces looked at, over the number of faces. */
const MOST_ROUNDS = 4;
const MOST_LOOKS = 20;

/** Gives faces to the neighbour that they share more of a seam with than of an edge with their own chart, one after another: ragged ends and
 *  narrow tails go. Charts that would no longer keep the limits, or be discs, stay as they are. */
export function peelRags(cut: Cut, limits: IslandLimits | null): void {
  const { seam, chartOf, faces } = cut;
  const before = { seam: seam.slice(), chartOf: chartOf.slice() };
  const frozen = new Set<number>();
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const changed = peel(cut, frozen);
    if (changed.size === 0) return;
    const parts = connectedParts(cut, Uint32Array.from(chartOf.keys()));
    const whole = new Map(parts.map((part) => [chartOf[part[0]], part]));
    const bad = [...changed].filter((chart) => {
      const part = whole.get(chart);
      return part === undefined || !mayBeIsland(cut, part, limits);
    });
    if (bad.length === 0 && parts.length === faces.size) {
      for (const [chart, part] of whole) faces.set(chart, part);
      return;
    }
    seam.set(before.seam);
    chartOf.set(before.chartOf);
    for (const chart of bad.length > 0 ? bad : changed) frozen.add(chart);
  }
}

/** @returns charts that lost or gained a face */
function peel(cut: Cut, frozen: ReadonlySet<number>): Set<number> {
  const { graph, seam, kept, chartOf } = cut;
  const { mesh, edges, edgeFaces, passable } = graph;
  const queue: number[] = [];
  for (let e = 0; e < seam.length; e++) if (seam[e] === 1 && passable[e] === 1) queue.push(edgeFaces[2 * e], edgeFaces[2 * e + 1]);
  const changed = new Set<number>();
  for (let i = 0; i < queue.length && i < MOST_LOOKS * mesh.faceOffsets.length; i++) {
    const f = queue[i];
    const own = chartOf[f];
    const to = betterSide(cut, f, frozen);
    if (to === null) continue;
    chartOf[f] = to;
    changed.add(own).add(to);
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      if (passable[e] === 0 || kept[e] === 1) continue;
      const g = acrossEdge(graph, e, f);
      if (chartOf[g] === own) seam[e] = 1;
      else if (chartOf[g] === to) seam[e] = 0;
      queue.push(g);
    }
  }
  return changed;
}

/** The chart that a face would rather belong to: it borders on that, and on its own, in one run of edges each, so both stay discs. */
function betterSide({ graph, seam, kept, cost, chartOf }: Cut, f: number, frozen: ReadonlySet<number>): number | null {
  const { mesh, edges, passable } = graph;
  const [from, to] = [mesh.faceOffsets[f], mesh.faceOffsets[f + 1]];
  const own = chartOf[f];
  if (frozen.has(own)) return null;
  // a seam within the chart, or one that was asked for, is no side to join
  const side = (c: number): number => {
    const e = edges.cornerEdges[c];
    if (passable[e] === 0 || kept[e] === 1) return -1;
    const g = acrossEdge(graph, e, f);
    return chartOf[g] === own && seam[e] === 1 ? -1 : chartOf[g];
  };
  const sides = new Map<number, { cost: number; runs: number }>();
  for (let c = from; c < to; c++) {
    const s = side(c);
    const sum = sides.get(s) ?? { cost: 0, runs: 0 };
    sum.cost += cost[edges.cornerEdges[c]];
    if (s !== side(c === from ? to - 1 : c - 1)) sum.runs++;
    sides.set(s, sum);
  }
  const mine = sides.get(own);
  if (mine?.runs !== 1) return null;
  let best: number | null = null;
  let most = (1 + WORTH) * mine.cost;
  for (const [s, { cost: there, runs }] of sides)
    if (s >= 0 && s !== own && runs === 1 && !frozen.has(s) && there > most) {
      best = s;
      most = there;
    }
  return best;
}
