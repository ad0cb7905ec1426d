import { acrossEdges, NO_CORNER } from './across-edges';
import type { PolyMesh } from './poly-mesh';
import { isAllQuads } from './triangulate';

/** Connectivity with the corner across each edge: the one that runs the other way, NO_CORNER on borders and where three faces meet. */
export class LinkedCorners {
  readonly across: Uint32Array; // C
  readonly kinds: Uint8Array; // P, as `kindsOfPoints`
  /** Face of each corner; null where all are quads, which takes no look into memory. */
  private readonly faces: Uint32Array | null;
  /** @param across where it is known already */
  constructor(
    readonly mesh: PolyMesh,
    across: Uint32Array | null = null,
  ) {
    this.faces = isAllQuads(mesh) ? null : facesOfCorners(mesh);
    this.across = across ?? acrossEdges(mesh);
    this.kinds = kindsOfPoints(mesh, this.across);
  }
  get isAllQuads(): boolean {
    return this.faces === null;
  }
  faceOf(c: number): number {
    return this.faces === null ? c >>> 2 : this.faces[c];
  }
  /** The corner after one, around its face. */
  next(c: number): number {
    if (this.faces === null) return ((c & 3) === 3 ? c - 3 : c + 1) >>> 0;
    const f = this.faces[c];
    return c + 1 === this.mesh.faceOffsets[f + 1] ? this.mesh.faceOffsets[f] : c + 1;
  }
  /** Of the edge from a corner to the next. */
  lengthSquared(c: number): number {
    const p = this.mesh.positions;
    const [v, w] = [3 * this.mesh.faceVerts[c], 3 * this.mesh.faceVerts[this.next(c)]];
    return (p[v] - p[w]) ** 2 + (p[v + 1] - p[w + 1]) ** 2 + (p[v + 2] - p[w + 2]) ** 2;
  }
  size(face: number): number {
    return this.mesh.faceOffsets[face + 1] - this.mesh.faceOffsets[face];
  }
}

function facesOfCorners({ faceVerts, faceOffsets }: PolyMesh): Uint32Array {
  const out = new Uint32Array(faceVerts.length);
  for (let f = 0; f + 1 < faceOffsets.length; f++) out.fill(f, faceOffsets[f], faceOffsets[f + 1]);
  return out;
}

const ON_BORDER = 128;
/** How many faces are around a point of a kind; 127 where there are more. */
export const facesOfKind = (kind: number): number => kind % ON_BORDER;
/** What tells points apart without a look at places: how many faces are around each, at most 127, and whether it is on a border. */
function kindsOfPoints({ faceOffsets, faceVerts, positions }: PolyMesh, across: Uint32Array): Uint8Array {
  const kinds = new Uint8Array(positions.length / 3);
  for (let c = 0; c < faceVerts.length; c++) if (kinds[faceVerts[c]] < ON_BORDER - 1) kinds[faceVerts[c]]++;
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      if (across[c] !== NO_CORNER) continue;
      kinds[faceVerts[c]] |= ON_BORDER;
      kinds[faceVerts[c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1]] |= ON_BORDER;
    }
  return kinds;
}

/** The corner across each edge of a mesh that was refined so many times, from the light mesh alone: the halves of an edge lie across from those of
 *  its other side, the spokes of a face from each other. Null where a face comes to a point twice, for two spokes may be one edge then. */
export function acrossRefined(light: PolyMesh, levels: number): Uint32Array | null {
  if (hasPointTwice(light)) return null;
  let across = acrossEdges(light);
  // from the first level on all faces are quads
  for (let k = 0; k < levels; k++) across = acrossSplit(across, k === 0 ? light.faceOffsets : null);
  return across;
}

/** The corner across each edge of the next level. @param faceOffsets null where all faces are quads */
export function acrossSplit(across: Uint32Array, faceOffsets: Uint32Array | null): Uint32Array {
  const fine = new Uint32Array(4 * across.length);
  const split = (c: number, after: number): void => {
    fine[4 * c + 1] = 4 * after + 2;
    fine[4 * after + 2] = 4 * c + 1;
    const over = across[c];
    fine[4 * after + 3] = over === NO_CORNER ? NO_CORNER : 4 * over;
    if (over === NO_CORNER) fine[4 * c] = NO_CORNER;
    else fine[4 * over] = 4 * after + 3;
  };
  if (faceOffsets === null) for (let c = 0; c < across.length; c++) split(c, (c & 3) === 3 ? c - 3 : c + 1);
  else
    for (let f = 0; f + 1 < faceOffsets.length; f++)
      for (let c = faceOffsets[f], end = faceOffsets[f + 1]; c < end; c++) split(c, c + 1 === end ? faceOffsets[f] : c + 1);
  return fine;
}

function hasPointTwice({ faceOffsets, faceVerts, positions }: PolyMesh): boolean {
  const seen = new Uint32Array(positions.length / 3);
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      if (seen[faceVerts[c]] === f + 1) return true;
      seen[faceVerts[c]] = f + 1;
    }
  return false;
}
