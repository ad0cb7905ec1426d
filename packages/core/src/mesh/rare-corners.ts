import type { LinkedCorners } from './linked-corners';
import { facesOfKind } from './linked-corners';

/** So many corners of points of one kind are rare. */
const RARE = 4096;

/** Corners of both meshes at points of rare kinds, by kind, the rarest first. Null where the meshes have not as many of every kind. */
export function rareCorners(
  a: LinkedCorners,
  b: LinkedCorners,
): { readonly ofA: Map<number, number[]>; readonly ofB: Map<number, number[]> } | null {
  const counts = [a, b].map(({ kinds }) => {
    const count = new Uint32Array(256);
    for (let v = 0; v < kinds.length; v++) count[kinds[v]] += facesOfKind(kinds[v]);
    return count;
  });
  if (counts[0].some((n, kind) => n !== counts[1][kind])) return null;
  const rare = [...counts[0].keys()]
    .filter((kind) => counts[0][kind] > 0 && counts[0][kind] <= RARE)
    .sort((x, y) => counts[0][x] - counts[0][y]);
  const found = (linked: LinkedCorners): Map<number, number[]> => {
    const corners = new Map(rare.map((kind): [number, number[]] => [kind, []]));
    if (rare.length === 0) return corners;
    const isRare = Uint8Array.from({ length: 256 }, (_, kind) => Number(corners.has(kind)));
    const { faceVerts } = linked.mesh;
    for (let c = 0; c < faceVerts.length; c++) {
      const kind = linked.kinds[faceVerts[c]];
      if (isRare[kind] === 1) corners.get(kind)?.push(c);
    }
    return corners;
  };
  return { ofA: found(a), ofB: found(b) };
}
