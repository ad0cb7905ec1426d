/** What refining made a point from. */
export const OLD = 0;
export const EDGE = 1;
export const FACE = 2;

/** Which of a quad's four corners, 0..3, is at a point of a kind; 4 if none. @param first corner of the quad */
export function cornerOfKind(faceVerts: Uint32Array, first: number, kind: Uint8Array, wanted: number): number {
  let k = 0;
  while (k < 4 && kind[faceVerts[first + k]] !== wanted) k++;
  return k;
}

/** Where old points inside the surface were before refining, from the points around them: the rules of Catmull and Clark (1978) solved for the old
 *  point. Those of three edges, and those on borders, cannot be had so.
 *  @param values three a point of an all-quad mesh @param faceVerts of its quads */
export function formerPlaces(
  values: Float32Array,
  faceVerts: Uint32Array,
  { kind, onBorder, quadsAt }: { readonly kind: Uint8Array; readonly onBorder: Uint8Array; readonly quadsAt: Uint32Array },
): { readonly was: Float64Array; readonly known: Uint8Array } {
  const P = kind.length;
  const was = new Float64Array(3 * P);
  // four times the edge points, each met from two quads, less the face points
  for (let q = 0; q < faceVerts.length; q += 4) {
    const k = cornerOfKind(faceVerts, q, kind, OLD);
    const v = 3 * faceVerts[q + (k & 3)];
    const a = 3 * faceVerts[q + ((k + 1) & 3)];
    const f = 3 * faceVerts[q + ((k + 2) & 3)];
    const b = 3 * faceVerts[q + ((k + 3) & 3)];
    for (let i = 0; i < 3; i++) was[v + i] += 2 * (values[a + i] + values[b + i]) - values[f + i];
  }
  const known = new Uint8Array(P);
  for (let v = 0; v < P; v++) {
    const n = quadsAt[v];
    if (kind[v] !== OLD || onBorder[v] === 1 || n < 4) continue;
    known[v] = 1;
    for (let i = 0; i < 3; i++) was[3 * v + i] = ((values[3 * v + i] - was[3 * v + i] / (n * n)) * n) / (n - 3);
  }
  return { was, known };
}
