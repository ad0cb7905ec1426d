import type { PolyMesh } from './poly-mesh';
import { faceCount, pointCount } from './poly-mesh';
import { GrowableU32 } from '../runtime/growable';

/** How one mesh lies on another: which corner and which point of the other each of this one is. */
export interface ConnectivityMatch {
  readonly corners: Uint32Array; // C
  readonly points: Uint32Array; // P; NO_MATCH for points without a face
}
export const NO_MATCH = 0xffffffff;

const NONE = NO_MATCH;

/** Connectivity with the corner across each edge: the one that runs the other way, NONE on borders and where three faces meet. */
class Linked {
  readonly across: Uint32Array; // C
  readonly faces: Uint32Array; // C, face of each corner
  readonly kinds: Uint8Array; // P, as `kindsOfPoints`
  constructor(readonly mesh: PolyMesh) {
    this.faces = new Uint32Array(mesh.faceVerts.length);
    for (let f = 0; f < faceCount(mesh); f++) this.faces.fill(f, mesh.faceOffsets[f], mesh.faceOffsets[f + 1]);
    this.across = acrossEdges(mesh);
    this.kinds = kindsOfPoints(mesh, this.across);
  }
  /** The corner after one, around its face. */
  next(c: number): number {
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

const ON_BORDER = 128;
/** What tells points apart without a look at places: how many faces are around each, at most 127, and whether it is on a border. */
function kindsOfPoints({ faceOffsets, faceVerts, positions }: PolyMesh, across: Uint32Array): Uint8Array {
  const kinds = new Uint8Array(positions.length / 3);
  for (let c = 0; c < faceVerts.length; c++) if (kinds[faceVerts[c]] < ON_BORDER - 1) kinds[faceVerts[c]]++;
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      if (across[c] !== NONE) continue;
      kinds[faceVerts[c]] |= ON_BORDER;
      kinds[faceVerts[c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1]] |= ON_BORDER;
    }
  return kinds;
}

/** More edges than this at a point are sorted. */
const FEW = 48;

/** The corner across each edge. Edges are put in rows by their lower point, where both their corners stand near each other: no hash, and few looks
 *  far away in memory. */
function acrossEdges({ faceOffsets, faceVerts, positions }: PolyMesh): Uint32Array {
  const C = faceVerts.length;
  const P = positions.length / 3;
  const at = new Uint32Array(P + 1);
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const to = faceOffsets[f + 1];
    let v = faceVerts[to - 1];
    for (let c = faceOffsets[f]; c < to; c++) {
      const w = faceVerts[c];
      at[(v < w ? v : w) + 1]++;
      v = w;
    }
  }
  for (let v = 0; v < P; v++) at[v + 1] += at[v];
  // of each edge: its upper point, and twice its corner, odd where it leads downwards
  const uppers = new Uint32Array(C);
  const corners = new Uint32Array(C);
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const to = faceOffsets[f + 1];
    let c = to - 1;
    for (let next = faceOffsets[f]; next < to; next++) {
      const v = faceVerts[c];
      const w = faceVerts[next];
      const up = v < w;
      // moves each start to the end of its row, which is the start of the next
      const place = at[up ? v : w]++;
      uppers[place] = up ? w : v;
      corners[place] = 2 * c + (up ? 0 : 1);
      c = next;
    }
  }
  const across = new Uint32Array(C).fill(NONE);
  for (let v = 0, from = 0; v < P; from = at[v++]) {
    const to = at[v];
    const isLong = to - from > FEW;
    if (isLong) sortRow(uppers, corners, from, to);
    for (let i = from; i < to; i++) {
      const end = uppers[i];
      let partner = NONE;
      let count = 1;
      // sorted, they stand side by side; else anywhere in the row
      const last = isLong ? Math.min(to, i + 3) : to;
      for (let j = isLong ? Math.max(from, i - 2) : from; j < last; j++)
        if (j !== i && uppers[j] === end) {
          partner = corners[j];
          count++;
        }
      if (count === 2 && (partner & 1) !== (corners[i] & 1)) across[corners[i] >>> 1] = partner >>> 1;
    }
  }
  return across;
}

function sortRow(uppers: Uint32Array, corners: Uint32Array, from: number, to: number): void {
  const order = Array.from({ length: to - from }, (_, i) => from + i).sort((a, b) => uppers[a] - uppers[b] || corners[a] - corners[b]);
  const [u, c] = [order.map((i) => uppers[i]), order.map((i) => corners[i])];
  uppers.set(u, from);
  corners.set(c, from);
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
): ConnectivityMatch | null {
  if (pointCount(mesh) !== pointCount(other) || faceCount(mesh) !== faceCount(other) || mesh.faceVerts.length !== other.faceVerts.length)
    return null;
  const [a, b] = [new Linked(mesh), new Linked(other)];
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

/** So many corners of points of one kind are rare. */
const RARE = 4096;

/** Corners of both meshes at points of rare kinds, by kind, the rarest first. Null where the meshes have not as many of every kind. */
function rareCorners(a: Linked, b: Linked): { readonly ofA: Map<number, number[]>; readonly ofB: Map<number, number[]> } | null {
  const counts = [a, b].map(({ mesh, kinds }) => {
    const count = new Uint32Array(256);
    const { faceVerts } = mesh;
    for (let c = 0; c < faceVerts.length; c++) count[kinds[faceVerts[c]]]++;
    return count;
  });
  if (counts[0].some((n, kind) => n !== counts[1][kind])) return null;
  const rare = [...counts[0].keys()]
    .filter((kind) => counts[0][kind] > 0 && counts[0][kind] <= RARE)
    .sort((x, y) => counts[0][x] - counts[0][y]);
  const found = (linked: Linked): Map<number, number[]> => {
    const corners = new Map(rare.map((kind): [number, number[]] => [kind, []]));
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
/** Corners that the distance of a match is measured at; nearness differs by edges' lengths, so more say nothing more. */
const MOST_MEASURED = 100_000;

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
  private readonly queue: GrowableU32 = new GrowableU32();
  constructor(
    private readonly a: Linked,
    private readonly b: Linked,
  ) {
    this.corners = new Uint32Array(a.mesh.faceVerts.length).fill(NONE);
    this.points = new Uint32Array(pointCount(a.mesh)).fill(NONE);
    this.taken = new Uint32Array(pointCount(a.mesh)).fill(NONE);
    this.laidCorners = new Uint32Array(a.mesh.faceVerts.length);
    this.laidPoints = new Uint32Array(pointCount(a.mesh));
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
      this.lift(laid);
      place = this.nearestShift(corner, { ...place, residual }, limit);
      if (isWhole) return this.lay(corner, place.start) !== null;
    }
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
    const { across, faces, mesh } = this.b;
    const face = faces[start];
    const near = new Set([face]);
    for (let c = mesh.faceOffsets[face]; c < mesh.faceOffsets[face + 1]; c++) if (across[c] !== NONE) near.add(faces[across[c]]);
    const corners: number[] = [];
    for (const f of near) for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) if (c !== start) corners.push(c);
    return corners;
  }

  /** Where a corner of a quad goes when everything is pushed by one face, not turned. Where faces are no quads: all corners around. */
  private shiftsOf(start: number): number[] {
    const { b } = this;
    const first = b.mesh.faceOffsets[b.faces[start]];
    const over = [0, 1, 2, 3].map((k) => b.across[first + k]);
    if (b.size(b.faces[start]) !== 4 || over.some((c) => c !== NONE && b.size(b.faces[c]) !== 4)) return this.cornersAround(start);
    // the edge that is crossed lies opposite to where it was
    return over.flatMap((c, k) => {
      if (c === NONE) return [];
      const other = b.mesh.faceOffsets[b.faces[c]];
      return [other + ((c - other + 2 + (start - first) - k + 4) % 4)];
    });
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

  /** Lays corner onto corner and everything that follows, or, ring by ring, so many corners at least.
   *  @returns what was laid; null (and nothing laid) at the first contradiction */
  private lay(start: number, onto: number, limit = Infinity): Laid | null {
    const { a, b, corners, queue } = this;
    const [offsetsA, offsetsB, vertsA, vertsB] = [a.mesh.faceOffsets, b.mesh.faceOffsets, a.mesh.faceVerts, b.mesh.faceVerts];
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
      const fa = a.faces[ca];
      const fb = b.faces[cb];
      const n = a.size(fa);
      let fits = n === b.size(fb) && corners[ca] === NONE;
      for (let k = 0; k < n && fits; k++) {
        corners[ca] = cb;
        this.laidCorners[this.cornersLaid++] = ca;
        const over = a.across[ca];
        fits = this.pair(vertsA[ca], vertsB[cb]) && (over === NONE) === (b.across[cb] === NONE);
        if (fits && over !== NONE && corners[over] !== b.across[cb]) {
          queue.push(over);
          queue.push(b.across[cb]);
        }
        ca = ca + 1 === offsetsA[fa + 1] ? offsetsA[fa] : ca + 1;
        cb = cb + 1 === offsetsB[fb + 1] ? offsetsB[fb] : cb + 1;
      }
      if (!fits) {
        this.lift(laid());
        return null;
      }
    }
    return laid();
  }

  private pair(va: number, vb: number): boolean {
    if (this.points[va] === vb) return true;
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
    const { positions: p, faceVerts: vertsA, faceOffsets } = this.a.mesh;
    const { positions: q, faceVerts: vertsB } = this.b.mesh;
    let off = 0;
    let edges = 0;
    const step = Math.max(1, Math.floor(laid.corners / MOST_MEASURED));
    for (let i = this.cornersLaid - laid.corners; i < this.cornersLaid; i += step) {
      const c = this.laidCorners[i];
      const va = 3 * vertsA[c];
      const vb = 3 * vertsB[this.corners[c]];
      const f = this.a.faces[c];
      const next = 3 * vertsA[c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1];
      for (let k = 0; k < 3; k++) {
        off += (p[va + k] - q[vb + k]) ** 2;
        edges += (p[next + k] - p[va + k]) ** 2;
      }
    }
    return edges === 0 ? 0 : Math.sqrt(off / edges);
  }
}

/** `other` in the order of `mesh`: the same points and corners, renumbered. Keeps UVs and colours; drops normals; groups and creases are those of `mesh`. */
export function reorderLike(mesh: PolyMesh, other: PolyMesh, { corners, points }: ConnectivityMatch): PolyMesh {
  const positions = new Float32Array(mesh.positions.length);
  const colors = other.colors === null ? null : new Float32Array(positions.length);
  for (let v = 0; v < points.length; v++) {
    const from = 3 * points[v];
    if (points[v] === NONE) continue;
    for (let k = 0; k < 3; k++) {
      positions[3 * v + k] = other.positions[from + k];
      if (colors && other.colors) colors[3 * v + k] = other.colors[from + k];
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
