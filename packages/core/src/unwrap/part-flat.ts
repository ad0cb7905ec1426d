import type { Cut } from './cut';
import { connectedParts } from './cut';
import { TRIAL } from './flatten';
import type { IslandLimits } from './lay-flat';
import { ASKED_FOR, isIsland, layFlat } from './lay-flat';
import { MOST_SPREAD, nearFlatPieces } from './near-flat';

/** Parts what cannot lie flat, into flatter and flatter pieces. */
export function partFlat(cut: Cut, limits: IslandLimits): void {
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
