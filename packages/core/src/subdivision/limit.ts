import { pointCount } from '../mesh/poly-mesh';
import { NO_CORNER } from '../mesh/across-edges';
import { isAllQuads } from '../mesh/triangulate';
import type { EdgeTable } from '../mesh/topology';
import type { RefinedLevel } from './refine';
import type { Sharpness } from './sharpness';
import { refineOnce, uvConnectivityOf, uvRulesOf } from './refine';
import { CREASE, CORNER, isSharp, SMOOTH } from './rules';
import { aroundFading } from './fading';

export interface LimitPoints {
  readonly positions: Float32Array; // 3 P
  readonly normals: Float32Array; // 3 P, unit; (0, 0, 0) where the tangents cancel or the point has no face
  readonly uvs: Float32Array | null; // 2 T, at their own limit under the UV rule; null without complete UVs
}

const NONE = 0xffffffff;
/** Faces looked at around one point. */
const MOST_SPOKES = 4096;

/** Where the vertices of a level end up when refined without end, with the normals there: closed-form masks of
 *  Halstead, Kass, DeRose (1993) inside and of Biermann, Levin, Zorin (2000) on borders.
 *  Corners stay where they are, with the mean normal of the first fan of faces there.
 *  On both sides of a crease that lasts the surface has a normal each: the mean of them. Where creases fade or end, the faces around are
 *  refined until that is over. A level with other faces than quads is refined once first, and its own points are returned. */
export function limitPoints(level: RefinedLevel): LimitPoints {
  if (isAllQuads(level.mesh)) {
    const found = { ...limitOfQuads(level), uvs: limitUvs(level) };
    if (level.sharpness !== null) placeFading(level, level.sharpness, found);
    return found;
  }
  const { positions, normals, uvs: finerUvs } = limitPoints(refineOnce(level));
  const n = 3 * pointCount(level.mesh);
  const uvs = level.mesh.uvs === null ? null : (finerUvs?.slice(0, level.mesh.uvs.length) ?? null);
  return { positions: positions.slice(0, n), normals: normals.slice(0, n), uvs };
}

/** Puts right what lies on creases that fade or end. */
function placeFading(level: RefinedLevel, sharpness: Sharpness, found: LimitPoints): void {
  const around = aroundFading(level, sharpness);
  if (around === null) return;
  const there = limitOfQuads(around.level);
  const uvs = limitUvs(around.level);
  const put = (to: Float32Array | null, from: Float32Array | null, K: number, targets: Uint32Array, places: Uint32Array): void => {
    if (to === null || from === null) return;
    targets.forEach((target, i) => to.set(from.subarray(K * places[i], K * places[i] + K), K * target));
  };
  put(found.positions, there.positions, 3, around.points, around.pointsThere);
  put(found.normals, there.normals, 3, around.points, around.pointsThere);
  put(found.uvs, uvs, 2, around.uvs, around.uvsThere);
}

/** UVs of an all-quad level where they end up: the same masks on the UV mesh. Linear UVs are there already. */
function limitUvs(level: RefinedLevel): Float32Array | null {
  const { mesh } = level;
  const uv = uvConnectivityOf(mesh);
  if (uv === null || mesh.uvs === null) return null;
  const rules = uvRulesOf(level);
  if (rules === null || level.uvEdges === null) return mesh.uvs;
  const { uvEdges } = level;
  const { kinds } = rules;
  const { uvs } = mesh;
  const T = uvs.length / 2;
  const around = new Float64Array(2 * T);
  const faces = new Uint32Array(T);
  for (let c = 0; c < uv.faceVerts.length; c++) {
    const t = uv.faceVerts[c];
    const [a, b, o] = [uv.faceVerts[nextOf(c)], uv.faceVerts[prevOf(c)], uv.faceVerts[nextOf(nextOf(c))]];
    faces[t]++;
    // each edge is met from both of its faces: half of its weight 4 each time
    for (let k = 0; k < 2; k++) around[2 * t + k] += 2 * (uvs[2 * a + k] + uvs[2 * b + k]) + uvs[2 * o + k];
  }
  const sharp = new Float64Array(2 * T);
  for (let e = 0; e < uvEdges.edgeFaceCounts.length; e++) {
    if (!isSharp(uvEdges, e)) continue;
    const [a, b] = [uvEdges.edgeVerts[2 * e], uvEdges.edgeVerts[2 * e + 1]];
    for (let k = 0; k < 2; k++) {
      sharp[2 * a + k] += uvs[2 * b + k];
      sharp[2 * b + k] += uvs[2 * a + k];
    }
  }
  const out = Float32Array.from(uvs);
  for (let i = 0; i < out.length; i++) {
    const kind = kinds[i >> 1];
    const n = faces[i >> 1];
    if (kind === CREASE) out[i] = (4 * uvs[i] + sharp[i]) / 6;
    else if (kind !== CORNER) out[i] = (n * n * uvs[i] + around[i]) / (n * (n + 5));
  }
  return out;
}

const nextOf = (c: number): number => ((c & 3) === 3 ? c - 3 : c + 1);
const prevOf = (c: number): number => ((c & 3) === 0 ? c + 3 : c - 1);

function limitOfQuads(level: RefinedLevel): Pick<LimitPoints, 'positions' | 'normals'> {
  // neither needs the level's edges, which are only found where a crease passes through
  const { mesh, across } = level;
  const { kinds } = level.rules;
  const { positions: p, faceVerts: fv } = mesh;
  const V = pointCount(mesh);

  // A corner to start from: on a border the one whose outgoing edge is the border, so that the walk sees every face.
  const start = new Uint32Array(V).fill(NONE);
  for (let c = 0; c < across.length; c++) if (start[fv[c]] === NONE || across[c] === NO_CORNER) start[fv[c]] = c;

  const positions = p.slice();
  const normals = new Float32Array(3 * V);
  const ring = new Uint32Array(MOST_SPOKES); // corners around the vertex, counter-clockwise
  for (let v = 0; v < V; v++) {
    if (start[v] === NONE) continue;
    let n = 0;
    let c = start[v];
    let closed = false;
    while (n < MOST_SPOKES) {
      ring[n++] = c;
      const other = across[prevOf(c)];
      if (other === NO_CORNER) break;
      if (other === start[v]) {
        closed = true;
        break;
      }
      c = other;
    }
    if (kinds[v] === SMOOTH && closed) {
      limitInside(positions, normals, v, p, fv, ring, n);
      continue;
    }
    const met = ring.subarray(0, n);
    if (kinds[v] !== CREASE) {
      averageNormal(normals, v, p, fv, met);
      continue;
    }
    const sides = closed ? sidesOfCrease(met, level.edges) : [met];
    for (const side of sides) limitOnCrease(positions, normals, v, p, fv, side);
    if (sides.length > 1) setNormal(normals, v, normals[3 * v], normals[3 * v + 1], normals[3 * v + 2]);
  }
  return { positions, normals };
}

/** The corners on each side of a crease that passes through the middle of a closed ring. */
function sidesOfCrease(ring: Uint32Array, edges: EdgeTable): readonly Uint32Array[] {
  const [first, second] = [...ring.keys()].filter((i) => isSharp(edges, edges.cornerEdges[ring[i]]));
  return [ring.slice(first, second), Uint32Array.from([...ring.subarray(second), ...ring.subarray(0, first)])];
}

/** Weights of the tangents at a point of n faces: of spoke i and of the face after it, for each tangent. */
interface TangentMask {
  readonly spokes: readonly [Float64Array, Float64Array];
  readonly faces: readonly [Float64Array, Float64Array];
}
const tangentMasks: TangentMask[] = [];

function tangentMask(n: number): TangentMask {
  const known = tangentMasks[n] as TangentMask | undefined;
  if (known) return known;
  const theta = (2 * Math.PI) / n;
  const cosTheta = Math.cos(theta);
  const lambda = (5 + cosTheta + Math.cos(theta / 2) * Math.sqrt(2 * (9 + cosTheta))) / 16;
  // at valence 2 edges and faces decouple: edges span one tangent, the faces' sides the other
  const two = n === 2;
  const faceWeight = two ? 0 : 1 / (4 * lambda - 1);
  const of = (value: (i: number) => number): Float64Array => Float64Array.from({ length: n }, (_, i) => value(i));
  const mask: TangentMask = {
    spokes: [of((i) => 4 * Math.cos(i * theta)), of((i) => 4 * Math.sin(i * theta))],
    faces: [
      of((i) => faceWeight * (Math.cos(i * theta) + Math.cos((i + 1) * theta))),
      of((i) => (two ? 1 - 2 * i : faceWeight * (Math.sin(i * theta) + Math.sin((i + 1) * theta)))),
    ],
  };
  tangentMasks[n] = mask;
  return mask;
}

function limitInside(
  out: Float32Array,
  normals: Float32Array,
  v: number,
  p: Float32Array,
  fv: Uint32Array,
  ring: Uint32Array,
  n: number,
): void {
  const mask = tangentMask(n);
  const [alongSpokes, acrossSpokes] = mask.spokes;
  const [alongFaces, acrossFaces] = mask.faces;
  let sx = 0, sy = 0, sz = 0, ax = 0, ay = 0, az = 0, bx = 0, by = 0, bz = 0; // prettier-ignore
  for (let i = 0; i < n; i++) {
    const end = nextOf(ring[i]);
    const e = 3 * fv[end];
    const f = 3 * fv[nextOf(end)];
    const ec = alongSpokes[i], es = acrossSpokes[i], fc = alongFaces[i], fs = acrossFaces[i]; // prettier-ignore
    const ex = p[e], ey = p[e + 1], ez = p[e + 2], fx = p[f], fy = p[f + 1], fz = p[f + 2]; // prettier-ignore
    sx += 4 * ex + fx;
    sy += 4 * ey + fy;
    sz += 4 * ez + fz;
    ax += ec * ex + fc * fx;
    ay += ec * ey + fc * fy;
    az += ec * ez + fc * fz;
    bx += es * ex + fs * fx;
    by += es * ey + fs * fy;
    bz += es * ez + fs * fz;
  }
  const d = n * (n + 5);
  out[3 * v] = (n * n * p[3 * v] + sx) / d;
  out[3 * v + 1] = (n * n * p[3 * v + 1] + sy) / d;
  out[3 * v + 2] = (n * n * p[3 * v + 2] + sz) / d;
  setNormal(normals, v, ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx);
}

function limitOnCrease(out: Float32Array, normals: Float32Array, v: number, p: Float32Array, fv: Uint32Array, ring: Uint32Array): void {
  const faces = ring.length;
  const first = 3 * fv[nextOf(ring[0])];
  const last = 3 * fv[prevOf(ring[faces - 1])];
  const a: number[] = [0, 0, 0]; // along the border
  const b: number[] = [0, 0, 0]; // across it
  const theta = Math.PI / faces;
  const sinTheta = Math.sin(theta);
  const cosTheta = Math.cos(theta);
  for (let k = 0; k < 3; k++) {
    const v0 = p[3 * v + k];
    a[k] = p[first + k] - p[last + k];
    if (faces === 1) b[k] = (p[first + k] + p[last + k]) / 2 - v0;
    else {
      const r = (cosTheta + 1) / sinTheta;
      let s = 4 * r * (cosTheta - 1) * v0 - r * (1 + 2 * cosTheta) * (p[first + k] + p[last + k]);
      for (let i = 0; i < faces; i++) {
        const si = Math.sin(i * theta);
        const s1 = Math.sin((i + 1) * theta);
        if (i > 0) s += 4 * si * p[3 * fv[nextOf(ring[i])] + k];
        s += (si + s1) * p[3 * fv[nextOf(nextOf(ring[i]))] + k];
      }
      b[k] = s;
    }
    out[3 * v + k] = (p[first + k] + 4 * v0 + p[last + k]) / 6;
  }
  addNormal(normals, v, a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]);
}

function averageNormal(normals: Float32Array, v: number, p: Float32Array, fv: Uint32Array, ring: Uint32Array): void {
  let nx = 0, ny = 0, nz = 0; // prettier-ignore
  const o = 3 * v;
  for (const c of ring) {
    const a = 3 * fv[nextOf(c)];
    const b = 3 * fv[prevOf(c)];
    const ux = p[a] - p[o], uy = p[a + 1] - p[o + 1], uz = p[a + 2] - p[o + 2]; // prettier-ignore
    const wx = p[b] - p[o], wy = p[b + 1] - p[o + 1], wz = p[b + 2] - p[o + 2]; // prettier-ignore
    const cx = uy * wz - uz * wy, cy = uz * wx - ux * wz, cz = ux * wy - uy * wx; // prettier-ignore
    const len = Math.sqrt(cx * cx + cy * cy + cz * cz);
    if (len === 0) continue;
    const angleRad = Math.atan2(len, ux * wx + uy * wy + uz * wz) / len;
    nx += cx * angleRad;
    ny += cy * angleRad;
    nz += cz * angleRad;
  }
  setNormal(normals, v, nx, ny, nz);
}

function addNormal(normals: Float32Array, v: number, x: number, y: number, z: number): void {
  const len = Math.sqrt(x * x + y * y + z * z);
  if (len === 0) return;
  normals[3 * v] += x / len;
  normals[3 * v + 1] += y / len;
  normals[3 * v + 2] += z / len;
}

function setNormal(normals: Float32Array, v: number, x: number, y: number, z: number): void {
  const len = Math.sqrt(x * x + y * y + z * z);
  if (len === 0) return;
  normals[3 * v] = x / len;
  normals[3 * v + 1] = y / len;
  normals[3 * v + 2] = z / len;
}
