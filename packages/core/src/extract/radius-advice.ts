import type { MapKind } from '../raster/map-kinds';
import type { MeasureSpec } from './kinds/table';

/** Edges that a ball's radius must span for its mean to be smooth: below, the sculpt's triangles show. */
const SMOOTH_EDGES = 3;

/** What to say of a radius that is too small for the sculpt; null when it is not. @param edges mean edges of the sculpt that it spans */
export const adviseOnRadius = (edges: number | null): string | null =>
  edges === null || edges >= SMOOTH_EDGES
    ? null
    : `the radius spans ${Number(edges.toPrecision(2))} edges of the sculpt, so its triangles show in the map; take at least ${SMOOTH_EDGES}, or a finer level.`;

/** Mean edges of the sculpt that the ball of a map spans; null where it has none. */
export function radiusEdgesOf({ measures }: { readonly measures: readonly MeasureSpec[] }, kind: MapKind): number | null {
  const measure = measures.find((m) => m.kind === kind);
  return measure !== undefined && 'radiusEdges' in measure ? measure.radiusEdges : null;
}
