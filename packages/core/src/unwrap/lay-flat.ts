import { convexHull, crossesItself, polygonArea } from './border';
import type { Chart } from './chart';
import { cutChart } from './chart';
import type { FaceGraph } from './face-graph';
import type { Cut } from './cut';
import type { Flat, FlattenOptions } from './flatten';
import { TRIAL, flatten } from './flatten';

/** What an island may be like. */
export interface IslandLimits {
  /** Stretch by area. */
  readonly stretch: number;
  /** Longer over shorter singular value, beyond which a hundredth of its area may lie. */
  readonly ratio: number;
  /** Share of its convex hull that it fills: what does not packs badly. */
  readonly fill: number;
}

/** Of islands whose seams were asked for: they are parted further only where they cannot be had at all. */
export const ASKED_FOR: IslandLimits = { stretch: Infinity, ratio: Infinity, fill: 0 };

export interface LaidFlat extends Flat {
  readonly chart: Chart;
}

/** Why faces cannot be one island: they are no disc; they stretch too much, which more faces would not mend; or they cover a place twice, or
 *  too little of their hull, which more faces may mend. */
export type NoIsland = 'no-disc' | 'beyond' | 'spread';

/** Faces as one island. */
export function layFlat(
  graph: FaceGraph,
  faces: Uint32Array,
  isSeam: (edge: number) => boolean,
  limits: IslandLimits,
  options: FlattenOptions,
): LaidFlat | NoIsland {
  const chart = cutChart(graph, faces, isSeam);
  const flat = flatten(graph.mesh, chart, options);
  if (flat === null || chart.border === null) return 'no-disc';
  if (flat.stretch > limits.stretch || flat.ratio > limits.ratio) return 'beyond';
  if (crossesItself(flat.uv, chart.border)) return 'spread';
  const hull = polygonArea(convexHull(flat.uv, chart.border));
  const own = polygonArea(Array.from(chart.border, (p) => [flat.uv[2 * p], flat.uv[2 * p + 1]] as const));
  return own >= limits.fill * hull ? { ...flat, chart } : 'spread';
}

export const isIsland = (flat: LaidFlat | NoIsland): flat is LaidFlat => typeof flat !== 'string';

/** Whether faces can be one island within some limits; without limits, whether they are a disc, which takes no time. */
export function mayBeIsland({ graph, seam }: Cut, faces: Uint32Array, limits: IslandLimits | null): boolean {
  const isSeam = (e: number): boolean => seam[e] === 1;
  return limits === null ? cutChart(graph, faces, isSeam).border !== null : isIsland(layFlat(graph, faces, isSeam, limits, TRIAL));
}

/** Each chart laid flat. */
export function laidIslands({ graph, seam, faces }: Cut, options: FlattenOptions): (LaidFlat & { readonly triangles: Uint32Array })[] {
  return [...faces.values()].map((own) => {
    for (const tried of [options, TRIAL]) {
      const flat = layFlat(graph, own, (e) => seam[e] === 1, ASKED_FOR, tried);
      if (isIsland(flat)) return { ...flat, triangles: flat.chart.triangles };
    }
    throw new Error('an island that could be laid flat no longer can');
  });
}
