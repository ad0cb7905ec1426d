import type { PolyMesh } from './poly-mesh';
import { faceCount, pointCount } from './poly-mesh';
import { buildEdges } from './topology';

/** Which corner of the other mesh each corner of this one is; the points and faces follow from it. */
export type CornerMap = Uint32Array; // C

const NONE = 0xffffffff;

/** Connectivity with the corner across each edge: the one that runs the other way, NONE on borders and where three faces meet. */
class Linked {
  readonly across: Uint32Array; // C
  readonly faces: Uint32Array; // C, face of each corner
  constructor(readonly mesh: PolyMesh) {
    const { cornerEdges, edgeFaceCounts } = buildEdges({ ...mesh, vertCount: pointCount(mesh) });
    const first = new Uint32Array(edgeFaceCounts.length).fill(NONE);
    this.across = new Uint32Array(cornerEdges.length).fill(NONE);
    this.faces = new Uint32Array(cornerEdges.length);
    for (let f = 0; f < faceCount(mesh); f++) this.faces.fill(f, mesh.faceOffsets[f], mesh.faceOffsets[f + 1]);
    for (let c = 0; c < cornerEdges.length; c++) {
      const e = cornerEdges[c];
      const other = first[e];
      if (edgeFaceCounts[e] !== 2) continue;
      if (other === NONE) first[e] = c;
      else if (mesh.faceVerts[other] !== mesh.faceVerts[c]) {
        this.across[c] = other;
        this.across[other] = c;
      }
    }
  }
  size(face: number): number {
    return this.mesh.faceOffsets[face + 1] - this.mesh.faceOffsets[face];
  }
}

/** Finds how a mesh with the same connectivity in another order maps onto `mesh`: one face is laid on a face of the other, and the rest
 *  follows across the edges, piece by piece. Where the connectivity is symmetric, the answer whose points lie nearest is taken.
 *
 *  @param nearestFace a face of `other` near a face of `mesh`, to start from
 *  @param isAborted polled between tries
 *  @returns null when the two do not have the same connectivity */
export function matchConnectivity(
  mesh: PolyMesh,
  other: PolyMesh,
  nearestFace: (face: number) => number,
  isAborted: () => void = () => undefined,
): CornerMap | null {
  if (pointCount(mesh) !== pointCount(other) || faceCount(mesh) !== faceCount(other) || mesh.faceVerts.length !== other.faceVerts.length)
    return null;
  const search = new Search(new Linked(mesh), new Linked(other));
  for (let f = 0; f < faceCount(mesh); f++) {
    if (search.isLaid(f)) continue;
    isAborted();
    if (!search.layPiece(f, nearestFace(f))) return null;
  }
  return search.corners;
}

/** Faces tried around the nearest one, ring by ring. */
const MAX_TRIED = 600;
/** A match whose points lie within this share of an edge's length is taken without looking for a better one: a ring without a point of other
 *  than four faces fits onto itself shifted by any number of faces, so half an edge is not near. */
const NEAR_ENOUGH = 0.05;
/** A match within so many edges' lengths ends the search around the nearest face; from there only neighbours are tried. */
const NEAR = 2;

interface Laid {
  readonly corners: number[];
  readonly points: number[];
}

class Search {
  readonly corners: Uint32Array;
  private readonly points: Uint32Array; // of a, into b
  private readonly taken: Uint32Array; // of b, into a
  constructor(
    private readonly a: Linked,
    private readonly b: Linked,
  ) {
    this.corners = new Uint32Array(a.mesh.faceVerts.length).fill(NONE);
    this.points = new Uint32Array(pointCount(a.mesh)).fill(NONE);
    this.taken = new Uint32Array(pointCount(a.mesh)).fill(NONE);
  }

  isLaid(face: number): boolean {
    return this.corners[this.a.mesh.faceOffsets[face]] !== NONE;
  }

  /** Lays the piece that holds `face`, trying places from `near` outwards. */
  layPiece(face: number, near: number): boolean {
    const { a, b } = this;
    const corner = a.mesh.faceOffsets[face];
    let best: { start: number; residual: number } | null = null;
    for (const target of this.ringsAround(near)) {
      if (b.size(target) !== a.size(face)) continue;
      for (let c = b.mesh.faceOffsets[target]; c < b.mesh.faceOffsets[target + 1]; c++) {
        const laid = this.lay(corner, c);
        if (laid === null) continue;
        const residual = this.residual(laid);
        if (residual <= NEAR_ENOUGH) return true;
        if (best === null || residual < best.residual) best = { start: c, residual };
        this.lift(laid);
      }
      if (best !== null && best.residual <= NEAR) break;
    }
    return best !== null && this.lay(corner, this.nearestShift(corner, best)) !== null;
  }

  /** A symmetric mesh fits in many places: from one of them step to neighbouring faces while the points come nearer. */
  private nearestShift(corner: number, from: { readonly start: number; readonly residual: number }): number {
    const { b } = this;
    let best = from;
    for (let step = 0; step < MAX_TRIED; step++) {
      const face = b.faces[best.start];
      const tried = new Set([face]);
      for (let c = b.mesh.faceOffsets[face]; c < b.mesh.faceOffsets[face + 1]; c++)
        if (b.across[c] !== NONE) tried.add(b.faces[b.across[c]]);
      let next = best;
      for (const f of tried)
        for (let c = b.mesh.faceOffsets[f]; c < b.mesh.faceOffsets[f + 1]; c++) {
          const laid = c === best.start ? null : this.lay(corner, c);
          if (laid === null) continue;
          const residual = this.residual(laid);
          if (residual < next.residual) next = { start: c, residual };
          this.lift(laid);
        }
      if (next === best) break;
      best = next;
    }
    return best.start;
  }

  private *ringsAround(near: number): Generator<number> {
    const { across, faces, mesh } = this.b;
    const seen = new Set([near]);
    for (const f of seen) {
      if (seen.size > MAX_TRIED) return;
      yield f;
      for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) if (across[c] !== NONE) seen.add(faces[across[c]]);
    }
  }

  /** Lays corner onto corner and everything that follows. @returns what was laid; null (and nothing laid) at the first contradiction */
  private lay(start: number, onto: number): Laid | null {
    const { a, b, corners } = this;
    const laid: Laid = { corners: [], points: [] };
    const queue = [start, onto];
    while (queue.length > 0) {
      let cb = queue.pop() as number;
      let ca = queue.pop() as number;
      if (corners[ca] === cb) continue;
      const [fa, fb] = [a.faces[ca], b.faces[cb]];
      const n = a.size(fa);
      let fits = n === b.size(fb) && corners[ca] === NONE;
      for (let k = 0; k < n && fits; k++) {
        corners[ca] = cb;
        laid.corners.push(ca);
        fits = this.pair(a.mesh.faceVerts[ca], b.mesh.faceVerts[cb], laid) && (a.across[ca] === NONE) === (b.across[cb] === NONE);
        if (fits && a.across[ca] !== NONE && corners[a.across[ca]] !== b.across[cb]) queue.push(a.across[ca], b.across[cb]);
        ca = ca + 1 === a.mesh.faceOffsets[fa + 1] ? a.mesh.faceOffsets[fa] : ca + 1;
        cb = cb + 1 === b.mesh.faceOffsets[fb + 1] ? b.mesh.faceOffsets[fb] : cb + 1;
      }
      if (!fits) {
        this.lift(laid);
        return null;
      }
    }
    return laid;
  }

  private pair(va: number, vb: number, laid: Laid): boolean {
    if (this.points[va] === vb) return true;
    if (this.points[va] !== NONE || this.taken[vb] !== NONE) return false;
    this.points[va] = vb;
    this.taken[vb] = va;
    laid.points.push(va);
    return true;
  }

  private lift(laid: Laid): void {
    for (const c of laid.corners) this.corners[c] = NONE;
    for (const v of laid.points) {
      this.taken[this.points[v]] = NONE;
      this.points[v] = NONE;
    }
  }

  /** RMS distance of laid points over the RMS length of the edges that leave them. */
  private residual(laid: Laid): number {
    const p = this.a.mesh.positions;
    const q = this.b.mesh.positions;
    let off = 0;
    let edges = 0;
    for (const c of laid.corners) {
      const va = 3 * this.a.mesh.faceVerts[c];
      const vb = 3 * this.b.mesh.faceVerts[this.corners[c]];
      const f = this.a.faces[c];
      const next = 3 * this.a.mesh.faceVerts[c + 1 === this.a.mesh.faceOffsets[f + 1] ? this.a.mesh.faceOffsets[f] : c + 1];
      for (let k = 0; k < 3; k++) {
        off += (p[va + k] - q[vb + k]) ** 2;
        edges += (p[next + k] - p[va + k]) ** 2;
      }
    }
    return edges === 0 ? 0 : Math.sqrt(off / edges);
  }
}

/** `other` in the order of `mesh`: the same points and corners, renumbered. Keeps UVs and colours; drops normals; groups and creases are those of `mesh`. */
export function reorderLike(mesh: PolyMesh, other: PolyMesh, corners: CornerMap): PolyMesh {
  const positions = new Float32Array(mesh.positions.length);
  const colors = other.colors === null ? null : new Float32Array(positions.length);
  for (let c = 0; c < corners.length; c++) {
    const to = 3 * mesh.faceVerts[c];
    const from = 3 * other.faceVerts[corners[c]];
    for (let k = 0; k < 3; k++) {
      positions[to + k] = other.positions[from + k];
      if (colors && other.colors) colors[to + k] = other.colors[from + k];
    }
  }
  const { faceUvs } = other;
  return {
    ...other,
    positions,
    colors,
    faceOffsets: mesh.faceOffsets,
    faceVerts: mesh.faceVerts,
    faceUvs: faceUvs === null ? null : corners.map((c) => faceUvs[c]),
    normals: null,
    faceNormals: null,
    sections: mesh.sections,
    faceSections: mesh.faceSections,
    creases: mesh.creases,
  };
}
