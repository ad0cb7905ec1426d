import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Chain, Cut } from './cut';
import { connectedParts, facesOf, seamChains } from './cut';
import { Heap } from '../runtime/heap';
import type { IslandLimits } from './lay-flat';
import { mayBeIsland } from './lay-flat';
import { peelRags } from './peel-rags';

/** A seam moves where that saves at least this share of its cost. */
const WORTH = 0.02;

/** Moves seams between two charts to the cheapest path between their ends, as long as both charts stay within the limits, or, without limits,
 *  discs. A closed seam is taken in two halves. @throws CancelledError */
export function straightenSeams(cut: Cut, limits: IslandLimits | null, control?: RunControl): void {
  peelRags(cut, limits);
  if (limits !== null && moveAllAtOnce(cut, limits, control)) return;
  moveSeams(cut, limits, control);
}

/** Moves seams wherever discs remain, and looks at the limits afterwards, once a chart: much less to lay flat.
 *  @returns false, and leaves seams as they are, where a chart goes beyond the limits */
function moveAllAtOnce(cut: Cut, limits: IslandLimits, control?: RunControl): boolean {
  const before = { seam: cut.seam.slice(), chartOf: cut.chartOf.slice(), faces: new Map(cut.faces) };
  moveSeams(cut, null, control);
  const changed = [...cut.faces].filter(([chart, faces]) => faces !== before.faces.get(chart));
  if (changed.every(([, faces]) => mayBeIsland(cut, faces, limits))) return true;
  cut.seam.set(before.seam);
  cut.chartOf.set(before.chartOf);
  for (const [chart, faces] of before.faces) cut.faces.set(chart, faces);
  return false;
}

function moveSeams(cut: Cut, limits: IslandLimits | null, control?: RunControl): void {
  const tried = new Set<string>();
  for (let round = 0; round < 3; round++) {
    let moved = false;
    for (const chain of seamChains(cut)) {
      throwIfAborted(control);
      for (const part of chain.ends[0] === chain.ends[1] ? halves(cut, chain, round) : [chain]) {
        if (part.charts[0] === part.charts[1]) continue;
        // an earlier move may have taken some of its edges away
        if (part.edges.some((e) => cut.seam[e] === 0)) continue;
        const key = part.edges.join(' ');
        if (tried.has(key)) continue;
        tried.add(key);
        if (moveSeam(cut, part, limits)) moved = true;
      }
    }
    if (!moved) return;
  }
}

/** A closed chain in two, cut at other places each round. */
function halves({ graph }: Cut, { edges, charts }: Chain, round: number): Chain[] {
  const n = edges.length;
  const turn = Math.floor((n * round) / 4);
  const turned = [...edges.slice(turn), ...edges.slice(0, turn)];
  const { edgeVerts } = graph.edges;
  const shared = (e: number, f: number): number =>
    edgeVerts[2 * e] === edgeVerts[2 * f] || edgeVerts[2 * e] === edgeVerts[2 * f + 1] ? edgeVerts[2 * e] : edgeVerts[2 * e + 1];
  const mid = n >> 1;
  if (mid === 0) return [];
  const [start, middle] = [shared(turned[n - 1], turned[0]), shared(turned[mid - 1], turned[mid])];
  return [
    { edges: turned.slice(0, mid), ends: [start, middle], charts },
    { edges: turned.slice(mid), ends: [middle, start], charts },
  ];
}

function moveSeam(cut: Cut, chain: Chain, limits: IslandLimits | null): boolean {
  const { cost, seam, chartOf } = cut;
  const before = chain.edges.reduce((sum, e) => sum + cost[e], 0);
  const path = cheapestPath(cut, chain);
  if (path === null || path.cost > (1 - WORTH) * before) return false;
  const faces = facesOf(cut, chain.charts);
  for (const e of chain.edges) seam[e] = 0;
  for (const e of path.edges) seam[e] = 1;
  const parts = connectedParts(cut, faces);
  if (parts.length === 2 && parts.every((part) => mayBeIsland(cut, part, limits))) {
    parts.forEach((part, i) => {
      cut.faces.set(chain.charts[i], part);
      for (const f of part) chartOf[f] = chain.charts[i];
    });
    return true;
  }
  for (const e of path.edges) seam[e] = 0;
  for (const e of chain.edges) seam[e] = 1;
  return false;
}

/** Dijkstra's shortest path from one end of a chain to the other, inside its two charts, touching no other seam on the way. */
function cheapestPath(
  { graph, cost, seam, chartOf, faces }: Cut,
  { edges: own, ends, charts }: Chain,
): { edges: number[]; cost: number } | null {
  const { edges, edgeFaces, passable } = graph;
  const within = (e: number): boolean =>
    passable[e] === 1 && charts.includes(chartOf[edgeFaces[2 * e]]) && charts.includes(chartOf[edgeFaces[2 * e + 1]]);
  const free = new Set(own);
  const blocked = new Set<number>();
  const at = new Map<number, number[]>();
  for (const f of charts.flatMap((chart) => [...(faces.get(chart) ?? [])]))
    for (let c = graph.mesh.faceOffsets[f]; c < graph.mesh.faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      const [v, w] = [edges.edgeVerts[2 * e], edges.edgeVerts[2 * e + 1]];
      if (!within(e) || (seam[e] === 1 && !free.has(e))) {
        blocked.add(v).add(w);
        continue;
      }
      for (const p of [v, w]) {
        const list = at.get(p);
        if (list === undefined) at.set(p, [e]);
        else if (!list.includes(e)) list.push(e);
      }
    }
  const best = new Map<number, { cost: number; by: number }>([[ends[0], { cost: 0, by: -1 }]]);
  const heap = new Heap<number>();
  heap.push(0, ends[0]);
  for (let next = heap.pop(); next !== undefined; next = heap.pop()) {
    const v = next.value;
    if (v === ends[1]) break;
    if (next.key > (best.get(v)?.cost ?? Infinity) || (v !== ends[0] && blocked.has(v))) continue;
    for (const e of at.get(v) ?? []) {
      const w = edges.edgeVerts[2 * e] === v ? edges.edgeVerts[2 * e + 1] : edges.edgeVerts[2 * e];
      const there = next.key + cost[e];
      if (there < (best.get(w)?.cost ?? Infinity)) {
        best.set(w, { cost: there, by: e });
        heap.push(there, w);
      }
    }
  }
  const end = best.get(ends[1]);
  if (end === undefined) return null;
  const path: number[] = [];
  for (let v = ends[1]; v !== ends[0];) {
    const e = best.get(v)?.by as number;
    path.unshift(e);
    v = edges.edgeVerts[2 * e] === v ? edges.edgeVerts[2 * e + 1] : edges.edgeVerts[2 * e];
  }
  return { edges: path, cost: end.cost };
}
