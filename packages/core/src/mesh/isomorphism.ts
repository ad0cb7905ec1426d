import { NO_CORNER } from './across-edges';
import { LinkedCorners } from './linked-corners';
import type { PolyMesh } from './poly-mesh';
import { faceCount, pointCount } from './poly-mesh';
import { MOST_MEASURED, nearerPush, pushedOver } from './pushed-match';
import { rareCorners } from './rare-corners';
import { GrowableU32 } from '../runtime/growable';
import type { Allocate } from '../runtime/threads';
import { ownMemory } from '../runtime/threads';

/** How one mesh lies on another: which corner and which point of the other each of this one is. */
export interface ConnectivityMatch {
  readonly corners: Uint32Array; // C
  readonly points: Uint32Array; // P; NO_MATCH for points without a face
}
export const NO_MATCH = NO_CORNER;

const NONE = NO_CORNER;

interface KnownAcross {
  readonly mesh: Uint32Array | null;
  readonly other: Uint32Array | null;
}

/** Finds how a mesh with the same connectivity in another order maps onto `mesh`: one face is laid on a face of the other, and the rest
 *  follows across the edges, piece by piece. Where the connectivity is symmetric, the answer whose points lie nearest is taken.
 *
 *  @param nearestFace a face of `other` near a face of `mesh`, to start from
 *  @param across the corners across the edges of either, where they are known
 *  @param isAborted polled between tries
 *  @returns null when the two do not have the same connectivity */
export function matchConnectivity(
  mesh: PolyMesh,
  other: PolyMesh,
  nearestFace: (face: number) => number,
  isAborted: () => void = () => undefined,
  across: KnownAcross = { mesh: null, other: null },
): ConnectivityMatch | null {
  if (pointCount(mesh) !== pointCount(other) || faceCount(mesh) !== faceCount(other) || mesh.faceVerts.length !== other.faceVerts.length)
    return null;
  const [a, b] = [new LinkedCorners(mesh, across.mesh), new LinkedCorners(other, across.other)];
  const rare = rareCorners(a, b);
  if (rare === null) return null;
  const search = new Search(a, b);
  // what is rare fits in few places only
  for (const [kind, corners] of rare.ofA)
    for (const corner of corners) {
      if (search.corners[corner] !== NONE) continue;
      isAborted();
      if (!search.layFrom(corner, rare.ofB.get(kind) ?? [])) return null;
    }
  for (let f = 0; f < faceCount(mesh); f++) {
    if (search.isLaid(f)) continue;
    isAborted();
    if (!search.layPiece(f, nearestFace(f))) return null;
  }
  return { corners: search.corners, points: search.points };
}

/** Faces tried around the nearest one, ring by ring; and corners of a rare kind. */
const MAX_TRIED = 600;
/** A match whose points lie within this share of an edge's length is taken without looking for a better one: a ring without a point of other
 *  than four faces fits onto itself shifted by any number of faces, so half an edge is not near. */
const NEAR_ENOUGH = 0.05;
/** A match within so many edges' lengths ends the search around the nearest face; from there only neighbours are tried. */
const NEAR = 2;
/** Corners that are laid around a rare one for a first look. */
const AROUND = 20_000;
/** A look wider than that is so many times as wide, up to so many corners; then it is at the whole piece. */
const WIDER = 8;
const WIDEST = 1_000_000;
/** A place is laid whole where it is, around there, at most so many times as far as the nearest one. */
const AS_NEAR = 2;
/** Places that begin farther away than so many times as the nearest one lies on the whole are not tried. */
const FAR = 4;

/** Corners and points that were laid last, as counts in the order of laying. */
interface Laid {
  readonly corners: number;
  readonly points: number;
}

/** A corner of the other mesh to lay a corner on, and how far the points then are from each other, in edges. */
interface Place {
  readonly start: number;
  readonly residual: number;
}

class Search {
  readonly corners: Uint32Array;
  readonly points: Uint32Array; // of a, into b
  private readonly taken: Uint32Array; // of b, into a
  /** Everything that is laid, in the order of laying: what a try has laid stands at the end, and is lifted from there. */
  private readonly laidCorners: Uint32Array;
  private readonly laidPoints: Uint32Array;
  private cornersLaid = 0;
  private pointsLaid = 0;
  /** For all pieces: there may be as many as faces. */
  private readonly headings: Uint8Array;
  private readonly queue: GrowableU32 = new GrowableU32();
  constructor(
    private readonly a: LinkedCorners,
    private readonly b: LinkedCorners,
  ) {
    this.corners = new Uint32Array(a.mesh.faceVerts.length).fill(NONE);
    this.points = new Uint32Array(pointCount(a.mesh)).fill(NONE);
    this.taken = new Uint32Array(pointCount(a.mesh)).fill(NONE);
    this.headings = new Uint8Array(faceCount(a.mesh));
    this.laidCorners = new Uint32Array(a.mesh.faceVerts.length);
    this.laidPoints = new Uint32Array(pointCount(a.mesh));
  }

  private get isQuads(): boolean {
    return this.a.isAllQuads && this.b.isAllQuads;
  }

  isLaid(face: number): boolean {
    return this.corners[this.a.mesh.faceOffsets[face]] !== NONE;
  }

  /** Lays the piece that holds a corner onto one of some others, the nearest first. */
  layFrom(corner: number, others: readonly number[]): boolean {
    const { a, b } = this;
    const [p, q] = [a.mesh.positions, b.mesh.positions];
    const apart = (i: number, j: number): number => (p[3 * i] - q[3 * j]) ** 2 + (p[3 * i + 1] - q[3 * j + 1]) ** 2 + (p[3 * i + 2] - q[3 * j + 2]) ** 2; // prettier-ignore
    const at = a.mesh.faceVerts[corner];
    const toward = a.mesh.faceVerts[a.next(corner)];
    const tries = others
      .filter((c) => this.taken[b.mesh.faceVerts[c]] === NONE)
      .map((c) => ({ c, off: apart(at, b.mesh.faceVerts[c]), turned: apart(toward, b.mesh.faceVerts[b.next(c)]) }))
      .sort((x, y) => x.off - y.off || x.turned - y.turned || x.c - y.c);
    // first around the corner only: most places are told apart there
    const near: Place[] = [];
    const edge2 = a.lengthSquared(corner);
    let beyond = Infinity;
    for (const { c, off } of tries.slice(0, MAX_TRIED)) {
      // what begins so far away does not come nearer around there
      if (off > beyond) break;
      const laid = this.lay(corner, c, AROUND);
      if (laid === null) continue;
      const residual = this.residual(laid);
      near.push({ start: c, residual });
      this.lift(laid);
      if (edge2 > 0) beyond = Math.min(beyond, edge2 * (FAR * Math.max(residual, NEAR)) ** 2);
    }
    if (near.length > 0 && this.layNearest(corner, near)) return true;
    // what looks right around the corner may be wrong farther on, and then a place farther away is the right one
    return tries.some(({ c }) => this.lay(corner, c) !== null);
  }

  /** Lays the piece on the nearest of some places that look right around a corner. */
  private layNearest(corner: number, near: Place[]): boolean {
    near.sort((x, y) => x.residual - y.residual);
    const shifted = this.nearestShift(corner, near[0], AROUND);
    if (shifted.start !== near[0].start) near.unshift(shifted);
    let best: Place | null = null;
    for (const [k, { start }] of near.entries()) {
      const laid = this.lay(corner, start);
      const isLast = k + 1 === near.length || near[k + 1].residual > AS_NEAR * Math.max(near[0].residual, NEAR);
      if (laid !== null) {
        const residual = this.residual(laid);
        const isBest = best === null || residual < best.residual;
        if (residual <= NEAR_ENOUGH || (isLast && isBest)) return true;
        if (isBest) best = { start, residual };
        this.lift(laid);
      }
      if (isLast && best !== null) break;
    }
    return best !== null && this.lay(corner, best.start) !== null;
  }

  /** Lays the piece that holds `face`, trying places from `near` outwards: each around there only, the best of them farther and farther. */
  layPiece(face: number, near: number): boolean {
    const { a, b } = this;
    const corner = a.mesh.faceOffsets[face];
    const places: Place[] = [];
    let nearest = Infinity;
    for (const target of this.ringsAround(near)) {
      if (b.size(target) !== a.size(face)) continue;
      for (let c = b.mesh.faceOffsets[target]; c < b.mesh.faceOffsets[target + 1] && nearest > NEAR_ENOUGH; c++) {
        const laid = this.lay(corner, c, AROUND);
        if (laid === null) continue;
        const residual = this.residual(laid);
        this.lift(laid);
        places.push({ start: c, residual });
        nearest = Math.min(nearest, residual);
      }
      if (nearest <= NEAR) break;
    }
    places.sort((x, y) => x.residual - y.residual);
    return (places.length > 0 && this.layWidening(corner, places[0])) || places.some(({ start }) => this.lay(corner, start) !== null);
  }

  /** Lays the piece on a place, or on one beside it where its points lie nearer: looked at around the corner first, where a look costs little and
   *  most steps are made, then wider, and at last on the whole. */
  private layWidening(corner: number, from: Place): boolean {
    let place = from;
    for (let limit = AROUND; ; limit = limit < WIDEST ? limit * WIDER : Infinity) {
      const laid = this.lay(corner, place.start, limit);
      if (laid === null) return false;
      const isWhole = laid.corners < limit;
      const residual = this.residual(laid);
      if (isWhole && residual <= NEAR_ENOUGH) return true;
      // a small piece may have to be turned as well, and costs little to lay
      if (isWhole && limit > AROUND && this.isQuads) return this.push(corner, { ...place, residual }, laid);
      this.lift(laid);
      place = this.nearestShift(corner, { ...place, residual }, limit);
      if (isWhole) return this.lay(corner, place.start) !== null;
    }
  }

  /** Pushes a piece of quads that is laid, face by face, while its points come nearer. */
  private push(corner: number, from: Place, laid: Laid): boolean {
    let [place, here] = [from, laid];
    for (let step = 0; step < MAX_TRIED; step++) {
      const order = this.laidCorners.subarray(this.cornersLaid - here.corners, this.cornersLaid);
      const start = nearerPush({ a: this.a, b: this.b, corners: this.corners, order, headings: this.headings }, corner);
      if (start === null) return true;
      this.lift(here);
      const there = this.lay(corner, start);
      const residual = there === null ? Infinity : this.residual(there);
      if (there === null || residual >= place.residual) {
        if (there !== null) this.lift(there);
        return this.lay(corner, place.start) !== null;
      }
      [place, here] = [{ start, residual }, there];
    }
    return true;
  }

  /** A symmetric mesh fits in many places: from one of them step to neighbouring faces while the points come nearer. @param limit of each try */
  private nearestShift(corner: number, from: Place, limit: number): Place {
    let best = from;
    for (let step = 0; step < MAX_TRIED; step++) {
      let next = best;
      for (const c of limit > AROUND ? this.shiftsOf(best.start) : this.cornersAround(best.start)) {
        const laid = this.lay(corner, c, limit);
        if (laid === null) continue;
        const residual = this.residual(laid);
        if (residual < next.residual) next = { start: c, residual };
        this.lift(laid);
      }
      if (next === best) break;
      best = next;
    }
    return best;
  }

  /** Corners of the face of a corner and of those beside it, without itself. */
  private cornersAround(start: number): number[] {
    const { b } = this;
    const { across, mesh } = b;
    const face = b.faceOf(start);
    const near = new Set([face]);
    for (let c = mesh.faceOffsets[face]; c < mesh.faceOffsets[face + 1]; c++) if (across[c] !== NONE) near.add(b.faceOf(across[c]));
    const corners: number[] = [];
    for (const f of near) for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) if (c !== start) corners.push(c);
    return corners;
  }

  /** Where a corner goes when everything is pushed by one face, not turned. Where faces are no quads: all corners around. */
  private shiftsOf(start: number): number[] {
    return this.isQuads ? [0, 1, 2, 3].map((side) => pushedOver(this.b, start, side)).filter((c) => c !== NONE) : this.cornersAround(start);
  }

  private *ringsAround(near: number): Generator<number> {
    const { b } = this;
    const { across, mesh } = b;
    const seen = new Set([near]);
    for (const f of seen) {
      if (seen.size > MAX_TRIED) return;
      yield f;
      for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) if (across[c] !== NONE) seen.add(b.faceOf(across[c]));
    }
  }

  /** Lays corner onto corner and everything that follows, or, ring by ring, so many corners at least.
   *  @returns what was laid; null (and nothing laid) at the first contradiction */
  private lay(start: number, onto: number, limit = Infinity): Laid | null {
    const { a, b, corners, queue, points, laidCorners } = this;
    const [vertsA, vertsB, acrossA, acrossB] = [a.mesh.faceVerts, b.mesh.faceVerts, a.across, b.across];
    const [before, pointsBefore] = [this.cornersLaid, this.pointsLaid];
    const laid = (): Laid => ({ corners: this.cornersLaid - before, points: this.pointsLaid - pointsBefore });
    queue.clear();
    queue.push(start);
    queue.push(onto);
    for (let head = 0; head < queue.length && this.cornersLaid - before < limit;) {
      let ca: number;
      let cb: number;
      if (limit < Infinity) {
        ca = queue.at(head++);
        cb = queue.at(head++);
      } else {
        cb = queue.pop();
        ca = queue.pop();
      }
      if (corners[ca] === cb) continue;
      const [firstA, firstB] = [ca, cb];
      let fits = corners[ca] === NONE;
      while (fits) {
        corners[ca] = cb;
        laidCorners[this.cornersLaid++] = ca;
        const overA = acrossA[ca];
        const overB = acrossB[cb];
        const va = vertsA[ca];
        const vb = vertsB[cb];
        fits = (points[va] === vb || this.pair(va, vb)) && (overA === NONE) === (overB === NONE);
        if (fits && overA !== NONE && corners[overA] !== overB) {
          queue.push(overA);
          queue.push(overB);
        }
        ca = a.next(ca);
        cb = b.next(cb);
        // both faces end here, or one goes on and they do not fit
        if (ca !== firstA && cb !== firstB) continue;
        fits &&= ca === firstA && cb === firstB;
        break;
      }
      if (!fits) {
        this.lift(laid());
        return null;
      }
    }
    return laid();
  }

  /** Pairs two points that are free and alike. */
  private pair(va: number, vb: number): boolean {
    if (this.points[va] !== NONE || this.taken[vb] !== NONE || this.a.kinds[va] !== this.b.kinds[vb]) return false;
    this.points[va] = vb;
    this.taken[vb] = va;
    this.laidPoints[this.pointsLaid++] = va;
    return true;
  }

  /** Takes away what was laid last. */
  private lift({ corners, points }: Laid): void {
    for (let i = 0; i < corners; i++) this.corners[this.laidCorners[--this.cornersLaid]] = NONE;
    for (let i = 0; i < points; i++) {
      const v = this.laidPoints[--this.pointsLaid];
      this.taken[this.points[v]] = NONE;
      this.points[v] = NONE;
    }
  }

  /** RMS distance of points laid last over the RMS length of the edges that leave them, of very many of a part. */
  private residual(laid: Laid): number {
    const { positions: p, faceVerts: vertsA } = this.a.mesh;
    const { positions: q, faceVerts: vertsB } = this.b.mesh;
    let off = 0;
    let edges = 0;
    const step = Math.max(1, Math.floor(laid.corners / MOST_MEASURED));
    for (let i = this.cornersLaid - laid.corners; i < this.cornersLaid; i += step) {
      const c = this.laidCorners[i];
      const va = 3 * vertsA[c];
      const vb = 3 * vertsB[this.corners[c]];
      const next = 3 * vertsA[this.a.next(c)];
      for (let k = 0; k < 3; k++) {
        off += (p[va + k] - q[vb + k]) ** 2;
        edges += (p[next + k] - p[va + k]) ** 2;
      }
    }
    return edges === 0 ? 0 : Math.sqrt(off / edges);
  }
}

/** `other` in the order of `mesh`: the same points and corners, renumbered. Keeps UVs and colours; drops normals; groups and creases are those of `mesh`. */
export function reorderLike(
  mesh: PolyMesh,
  other: PolyMesh,
  { corners, points }: ConnectivityMatch,
  allocate: Allocate = ownMemory,
): PolyMesh {
  const positions = gathered(other.positions, points, new Float32Array(allocate(4 * mesh.positions.length)));
  const colors = other.colors && gathered(other.colors, points, new Float32Array(mesh.positions.length));
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

/** Three values a point, from where each stands; 0 where it stands nowhere. */
function gathered(values: Float32Array, points: Uint32Array, out: Float32Array): Float32Array {
  for (let v = 0; v < points.length; v++) {
    if (points[v] === NONE) continue;
    const from = 3 * points[v];
    out[3 * v] = values[from];
    out[3 * v + 1] = values[from + 1];
    out[3 * v + 2] = values[from + 2];
  }
  return out;
}
