import type { EdgeTable } from './topology';

/** Points that share an edge with each point, one row after another. */
export interface Neighbours {
  readonly start: Uint32Array; // P + 1
  readonly points: Uint32Array; // 2 E
}

/** @param count of points */
export function neighboursOf({ edgeVerts }: Pick<EdgeTable, 'edgeVerts'>, count: number): Neighbours {
  const start = new Uint32Array(count + 1);
  for (const v of edgeVerts) start[v + 1]++;
  for (let v = 0; v < count; v++) start[v + 1] += start[v];
  const at = start.slice(0, count);
  const points = new Uint32Array(edgeVerts.length);
  for (let e = 0; e < edgeVerts.length; e += 2) {
    points[at[edgeVerts[e]]++] = edgeVerts[e + 1];
    points[at[edgeVerts[e + 1]]++] = edgeVerts[e];
  }
  return { start, points };
}
