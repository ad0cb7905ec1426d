import { faceGroups } from '../mesh/groups';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import { islandsOf } from './islands';
import { toSegment } from './margin';
import { faceTiles } from './tiles';

/** Faces of one island and one group, as they lie in UV space. */
export interface UvRegion {
  readonly island: number;
  /** Of the mesh's groups, see `faceGroups`. */
  readonly group: number;
  readonly tile: number; // of its first face; 0 outside the numbered tiles
  /** Closed runs of UVs: 2 n numbers each, holes among them. */
  readonly loops: readonly Float32Array[];
  /** A place well inside, for a name: u, v, and how far the border is from there. */
  readonly inside: readonly [number, number, number];
}

/** Places in a region that are looked at for its name. */
const LOOKS = 64;

/** Each island, parted at the borders of groups, in order of first faces. @throws InvalidInputError NO_UVS */
export function uvRegions(mesh: PolyMesh): UvRegion[] {
  const { uvs, faceUvs } = requireUvs(mesh);
  const islands = islandsOf(mesh);
  const tiles = faceTiles(mesh, uvs, faceUvs);
  const faces = new Map<number, number[]>();
  const { of, names } = faceGroups(mesh);
  const regionOf = (f: number): number => islands.ofFace[f] * names.length + of[f];
  for (let f = 0; f < faceCount(mesh); f++) {
    const list = faces.get(regionOf(f));
    if (list === undefined) faces.set(regionOf(f), [f]);
    else list.push(f);
  }
  const { cornerEdges } = islands.edges;
  return [...faces.values()].map((own): UvRegion => {
    const count = new Map<number, number>();
    for (const f of own)
      for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) count.set(cornerEdges[c], (count.get(cornerEdges[c]) ?? 0) + 1);
    // border corners by the UV they start at: several where a border touches itself
    const from = new Map<number, number[]>();
    const { faceVerts } = islands.copies;
    const next = new Map<number, number>();
    for (const f of own)
      for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
        if (count.get(cornerEdges[c]) !== 1) continue;
        next.set(c, c + 1 === mesh.faceOffsets[f + 1] ? mesh.faceOffsets[f] : c + 1);
        const list = from.get(faceVerts[c]);
        if (list === undefined) from.set(faceVerts[c], [c]);
        else list.push(c);
      }
    const loops: Float32Array[] = [];
    for (const start of next.keys()) {
      const loop: number[] = [];
      for (let c: number | undefined = start; c !== undefined;) {
        const there: number[] = from.get(faceVerts[c]) ?? [];
        const at = there.indexOf(c);
        if (at < 0) break;
        there.splice(at, 1);
        loop.push(uvs[2 * faceUvs[c]], uvs[2 * faceUvs[c] + 1]);
        c = from.get(faceVerts[next.get(c) as number])?.[0];
      }
      if (loop.length >= 6) loops.push(Float32Array.from(loop));
    }
    const first = own[0];
    return {
      island: islands.ofFace[first],
      group: of[first],
      tile: tiles[first],
      loops,
      inside: insideOf(mesh, own, loops),
    };
  });
}

/** Of some faces' middles, the one furthest from the border. */
function insideOf(mesh: PolyMesh, faces: readonly number[], loops: readonly Float32Array[]): readonly [number, number, number] {
  const { uvs, faceUvs } = requireUvs(mesh);
  let best: [number, number, number] = [0, 0, -1];
  for (let k = 0; k < Math.min(LOOKS, faces.length); k++) {
    const f = faces[Math.floor((k * faces.length) / Math.min(LOOKS, faces.length))];
    const [a, b] = [mesh.faceOffsets[f], mesh.faceOffsets[f + 1]];
    let u = 0;
    let v = 0;
    for (let c = a; c < b; c++) {
      u += uvs[2 * faceUvs[c]] / (b - a);
      v += uvs[2 * faceUvs[c] + 1] / (b - a);
    }
    let near = Infinity;
    for (const loop of loops)
      for (let i = 0; i < loop.length; i += 2) {
        const j = (i + 2) % loop.length;
        near = Math.min(near, toSegment(u, v, loop[i], loop[i + 1], loop[j], loop[j + 1]));
      }
    if (near > best[2]) best = [u, v, near];
  }
  return best;
}
