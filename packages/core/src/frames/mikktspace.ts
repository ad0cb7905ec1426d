import { scatter } from '../runtime/scatter';

/** Corners of separate triangles; corners with equal position, normal and UV are taken as one vertex. */
export interface MikkCorners {
  readonly positions: Float32Array; // 9 T
  readonly normals: Float32Array; // 9 T, unit
  readonly uvs: Float32Array; // 6 T, v up
}

const NONE = 0xffffffff;
/** The standard's threshold for "not zero": the smallest normal float32. */
const SMALLEST = 1.17549435e-38;

/** Tangents by the MikkTSpace standard (Mikkelsen, "Simulation of wrinkled surfaces revisited", 2008, and its reference code), computed in
 *  double precision: x, y, z and sign a corner, bitangent = sign (normal x tangent).
 *
 *  The reference splits a group where two tangents point exactly opposite ways; here they cancel and the corner keeps (1, 0, 0).
 *  @returns float32[12 T] */
export function mikkTangents({ positions: p, normals: n, uvs }: MikkCorners): Float32Array {
  const C = p.length / 3;
  const T = C / 3;
  const verts = weld(p, n, uvs);
  const { os, preserving, groupWithAny } = triangleTangents(p, uvs, T);
  const degenerate = new Uint8Array(T);
  for (let t = 0; t < T; t++) {
    const same = (i: number, j: number): boolean => {
      for (let k = 0; k < 3; k++) if (p[3 * (3 * t + i) + k] !== p[3 * (3 * t + j) + k]) return false;
      return true;
    };
    if (same(0, 1) || same(0, 2) || same(1, 2)) degenerate[t] = 1;
  }
  const neighbours = edgeNeighbours(verts, degenerate);
  const groups = buildGroups(verts, neighbours, preserving, groupWithAny, degenerate);

  const out = new Float32Array(4 * C);
  for (let c = 0; c < C; c++) out.set([1, 0, 0, -1], 4 * c);
  const sums = new Float64Array(3 * groups.count);
  for (let c = 0; c < C; c++) {
    const t = Math.floor(c / 3);
    if (groups.ofCorner[c] === NONE || groupWithAny[t]) continue;
    addWeighted(sums, 3 * groups.ofCorner[c], c, os, p, n);
  }
  for (let g = 0; g < groups.count; g++) normaliseAt(sums, 3 * g);
  const anyCorner = new Uint32Array(C).fill(NONE); // of each vertex: a corner with an answer
  for (let c = 0; c < C; c++) {
    const g = groups.ofCorner[c];
    if (g === NONE) continue;
    if (sums[3 * g] !== 0 || sums[3 * g + 1] !== 0 || sums[3 * g + 2] !== 0) for (let k = 0; k < 3; k++) out[4 * c + k] = sums[3 * g + k];
    out[4 * c + 3] = groups.preserving[g] ? 1 : -1;
    if (anyCorner[verts[c]] === NONE) anyCorner[verts[c]] = c;
  }
  // triangles without area borrow from a neighbour at the same vertex
  for (let c = 0; c < C; c++) {
    const donor = anyCorner[verts[c]];
    if (degenerate[Math.floor(c / 3)] && donor !== NONE) out.copyWithin(4 * c, 4 * donor, 4 * donor + 4);
  }
  return out;
}

/** Index of the first corner with the same eight numbers. */
function weld(p: Float32Array, n: Float32Array, uvs: Float32Array): Uint32Array {
  const C = p.length / 3;
  const pu = new Uint32Array(p.map((x) => x + 0).buffer); // + 0 turns -0 into 0
  const nu = new Uint32Array(n.map((x) => x + 0).buffer);
  const tu = new Uint32Array(uvs.map((x) => x + 0).buffer);
  let bits = 4;
  while (1 << bits < 2 * C) bits++;
  const mask = (1 << bits) - 1;
  const table = new Uint32Array(1 << bits).fill(NONE);
  const out = new Uint32Array(C);
  const equal = (a: number, b: number): boolean => {
    for (let k = 0; k < 3; k++) if (pu[3 * a + k] !== pu[3 * b + k] || nu[3 * a + k] !== nu[3 * b + k]) return false;
    return tu[2 * a] === tu[2 * b] && tu[2 * a + 1] === tu[2 * b + 1];
  };
  for (let c = 0; c < C; c++) {
    const place = scatter(pu[3 * c], pu[3 * c + 1], pu[3 * c + 2]);
    let slot = scatter(place, scatter(nu[3 * c], nu[3 * c + 1], nu[3 * c + 2]), scatter(tu[2 * c], tu[2 * c + 1], 0)) & mask;
    while (table[slot] !== NONE && !equal(table[slot], c)) slot = (slot + 1) & mask;
    if (table[slot] === NONE) table[slot] = c;
    out[c] = table[slot];
  }
  return out;
}

/** First-order tangents of the triangles: unit dP/du with the sign of their orientation. */
function triangleTangents(p: Float32Array, uvs: Float32Array, T: number) {
  const os = new Float64Array(3 * T);
  const preserving = new Uint8Array(T);
  /** Without a usable tangent a triangle joins any group. */
  const groupWithAny = new Uint8Array(T).fill(1);
  for (let t = 0; t < T; t++) {
    const u = 6 * t;
    const t21x = uvs[u + 2] - uvs[u], t21y = uvs[u + 3] - uvs[u + 1], t31x = uvs[u + 4] - uvs[u], t31y = uvs[u + 5] - uvs[u + 1]; // prettier-ignore
    const area = t21x * t31y - t21y * t31x;
    preserving[t] = area > 0 ? 1 : 0;
    if (Math.abs(area) <= SMALLEST) continue;
    const sign = area > 0 ? 1 : -1;
    let lengthS = 0;
    let lengthT = 0;
    for (let k = 0; k < 3; k++) {
      const d1 = p[9 * t + 3 + k] - p[9 * t + k];
      const d2 = p[9 * t + 6 + k] - p[9 * t + k];
      os[3 * t + k] = t31y * d1 - t21y * d2;
      lengthS += os[3 * t + k] ** 2;
      lengthT += (t21x * d2 - t31x * d1) ** 2;
    }
    lengthS = Math.sqrt(lengthS);
    if (lengthS > SMALLEST) for (let k = 0; k < 3; k++) os[3 * t + k] *= sign / lengthS;
    if (lengthS / Math.abs(area) > SMALLEST && Math.sqrt(lengthT) / Math.abs(area) > SMALLEST) groupWithAny[t] = 0;
  }
  return { os, preserving, groupWithAny };
}

/** Triangle across the edge from each corner to the next one; NONE on borders. Edges pair off in order, one to one, opposite ways. */
function edgeNeighbours(verts: Uint32Array, degenerate: Uint8Array): Uint32Array {
  const C = verts.length;
  const out = new Uint32Array(C).fill(NONE);
  let bits = 4;
  while (1 << bits < 2 * C) bits++;
  const mask = (1 << bits) - 1;
  const table = new Uint32Array(1 << bits).fill(NONE); // corners, chained by hash
  const next = new Uint32Array(C).fill(NONE);
  const last = new Uint32Array(1 << bits);
  const endOf = (c: number): number => verts[c % 3 === 2 ? c - 2 : c + 1];
  for (let c = 0; c < C; c++) {
    if (degenerate[Math.floor(c / 3)]) continue;
    const [a, b] = [verts[c], endOf(c)];
    const h = (Math.imul(Math.min(a, b), 0x9e3779b1) ^ Math.imul(Math.max(a, b), 0x85ebca6b)) & mask;
    let other = table[h];
    while (other !== NONE && !(out[other] === NONE && verts[other] === b && endOf(other) === a)) other = next[other];
    if (other !== NONE) {
      out[c] = Math.floor(other / 3);
      out[other] = Math.floor(c / 3);
    }
    if (table[h] === NONE) table[h] = c;
    else next[last[h]] = c;
    last[h] = c;
  }
  return out;
}

/** Corners around a vertex that hang together across edges and have one orientation share a tangent. */
function buildGroups(
  verts: Uint32Array,
  neighbours: Uint32Array,
  preserving: Uint8Array,
  groupWithAny: Uint8Array,
  degenerate: Uint8Array,
) {
  const C = verts.length;
  const ofCorner = new Uint32Array(C).fill(NONE);
  const orientation: number[] = [];
  const stack: number[] = [];
  for (let start = 0; start < C; start++) {
    const own = Math.floor(start / 3);
    if (ofCorner[start] !== NONE || groupWithAny[own] || degenerate[own]) continue;
    const g = orientation.length;
    orientation.push(preserving[own]);
    stack.push(own);
    while (stack.length > 0) {
      const t = stack.pop() as number;
      let c = 3 * t;
      while (verts[c] !== verts[start]) c++;
      if (ofCorner[c] !== NONE) continue;
      if (groupWithAny[t] && ofCorner[3 * t] === NONE && ofCorner[3 * t + 1] === NONE && ofCorner[3 * t + 2] === NONE)
        preserving[t] = orientation[g];
      if (preserving[t] !== orientation[g]) continue;
      ofCorner[c] = g;
      const left = neighbours[c];
      const right = neighbours[c % 3 === 0 ? c + 2 : c - 1];
      if (right !== NONE) stack.push(right);
      if (left !== NONE) stack.push(left);
    }
  }
  return { ofCorner, preserving: orientation, count: orientation.length };
}

/** Adds a triangle's tangent, laid into the plane of the normal, weighted by its angle there. */
function addWeighted(sums: Float64Array, o: number, corner: number, os: Float64Array, p: Float32Array, n: Float32Array): void {
  const t = Math.floor(corner / 3);
  const before = 3 * t + ((corner + 2) % 3);
  const after = 3 * t + ((corner + 1) % 3);
  const [nx, ny, nz] = n.subarray(3 * corner, 3 * corner + 3);
  const flat = (x: number, y: number, z: number): [number, number, number] => {
    const d = nx * x + ny * y + nz * z;
    const [fx, fy, fz] = [x - d * nx, y - d * ny, z - d * nz];
    const length = Math.hypot(fx, fy, fz);
    return length > SMALLEST ? [fx / length, fy / length, fz / length] : [fx, fy, fz];
  };
  const edge = (to: number): [number, number, number] =>
    flat(p[3 * to] - p[3 * corner], p[3 * to + 1] - p[3 * corner + 1], p[3 * to + 2] - p[3 * corner + 2]);
  const tangent = flat(os[3 * t], os[3 * t + 1], os[3 * t + 2]);
  const a = edge(before);
  const b = edge(after);
  const angleRad = Math.acos(Math.min(1, Math.max(-1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2])));
  for (let k = 0; k < 3; k++) sums[o + k] += angleRad * tangent[k];
}

function normaliseAt(v: Float64Array, o: number): void {
  const length = Math.hypot(v[o], v[o + 1], v[o + 2]);
  for (let k = 0; k < 3; k++) v[o + k] = length > SMALLEST ? v[o + k] / length : 0;
}
