import type { Connectivity, EdgeTable } from './topology';

/** Values that belong to each of some owners, one row after another. */
export interface Rows {
  readonly start: Uint32Array; // owners + 1
  readonly values: Uint32Array;
}

/** @param count of owners @param owners of each value @param valueOf the value of that number */
export function rowsBy(count: number, owners: Uint32Array, valueOf: (i: number) => number): Rows {
  const start = new Uint32Array(count + 1);
  for (const v of owners) start[v + 1]++;
  for (let v = 0; v < count; v++) start[v + 1] += start[v];
  const at = start.slice(0, count);
  const values = new Uint32Array(owners.length);
  for (let i = 0; i < owners.length; i++) values[at[owners[i]]++] = valueOf(i);
  return { start, values };
}

/** Points that share an edge with each point. */
export interface Neighbours {
  readonly start: Uint32Array; // P + 1
  readonly points: Uint32Array; // 2 E
}

/** @param count of points */
export function neighboursOf({ edgeVerts }: Pick<EdgeTable, 'edgeVerts'>, count: number): Neighbours {
  const { start, values } = rowsBy(count, edgeVerts, (i) => edgeVerts[i ^ 1]);
  return { start, points: values };
}

/** Faces at each point, in their order. @param count of points */
export const facesAround = ({ faceOffsets, faceVerts }: Omit<Connectivity, 'vertCount'>, count: number): Rows =>
  rowsBy(count, faceVerts, ownersOf(faceOffsets));

/** The face of a corner. Corners are to be asked for in order. */
export function ownersOf(faceOffsets: Uint32Array): (corner: number) => number {
  let f = 0;
  return (c) => {
    while (faceOffsets[f + 1] <= c) f++;
    return f;
  };
}
