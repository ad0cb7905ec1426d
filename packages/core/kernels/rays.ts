// Rays through a wide tree, and closest points on it, in AssemblyScript for WebAssembly SIMD; built by `npm run kernels` into src/spatial/rays-wasm.ts.
// The reference is src/spatial/ray.ts and blocked.ts: boxes are tested here in single precision, four at a time and a little too wide, triangles
// in double precision by the reference's own formulas in its own order, so that both find the same triangle and the same numbers.
//
// Memory is the tree's own (src/spatial/wide-tree.ts). A thread's slot: 6 doubles (t, u, v, det; or squared distance, x, y, z, u, v), then the stack
// of refs (int32) and of distances (float32), STACK entries each, then the distances of one node's children, then how many hits were noted and t of
// each (float64), then lines that are asked for together (`nearestOfMany`).
//
// A node is 28 words: min x, y, z and max x, y, z of four children (float32[4] each), then four refs as in the binary tree.

const STACK: usize = 256;
const REFS: usize = 48;
const DISTANCES: usize = REFS + 4 * STACK;
const CHILDREN: usize = DISTANCES + 4 * STACK;
const NOTED: usize = CHILDREN + 16;
const NOTES: usize = NOTED + 8;
const MOST_NOTES: i32 = 16;
/** Lines asked for together: origin, direction, wanted t, unused (float64); then their answers: t, u, v, cosine (float64); then slot and rival (int32). */
const LINES: usize = 2304;
const MOST_LINES: usize = 256;
const ANSWERS: usize = LINES + 64 * MOST_LINES;
const HITS: usize = ANSWERS + 32 * MOST_LINES;
/** Which hits count: from either side, from the side that the normal looks to, or the first that is found from either side. */
const ALONG: i32 = 1;
const FIRST: i32 = 2;
/** Rounding of a slab's distance in single precision, as a share of the largest length in play; far above it. */
const LOOSE: f64 = 1.0 / 1048576.0;

function inverse(d: f64): f64 {
  // huge instead of infinite for a zero component, so that no product is NaN
  return d == 0 ? 1e30 : 1.0 / d;
}

/** Hit with t in [tMin, tMax] nearest to tNear, with the lowest slot of equal ones; in mode FIRST any such hit.
 *  @param beyond 1, or more: t of every hit up to so many times as far from tNear is noted then, with some farther ones; more than MOST_NOTES are
 *  counted only  @returns slot in leaf order, -1 for none */
export function nearest(
  scratch: usize,
  nodes: usize,
  verts: usize,
  largest: f64,
  ox: f64,
  oy: f64,
  oz: f64,
  dx: f64,
  dy: f64,
  dz: f64,
  tNear: f64,
  tMin: f64,
  tMax: f64,
  mode: i32,
  beyond: f64,
): i32 {
  const length2 = dx * dx + dy * dy + dz * dz;
  const reach = max(largest, max(abs(ox), max(abs(oy), abs(oz))));
  const e = LOOSE * reach;
  const sx: usize = dx < 0 ? 48 : 0,
    sy: usize = dy < 0 ? 48 : 0,
    sz: usize = dz < 0 ? 48 : 0;
  const nx = f32x4.splat(<f32>(dx < 0 ? ox - e : ox + e)),
    fx = f32x4.splat(<f32>(dx < 0 ? ox + e : ox - e));
  const ny = f32x4.splat(<f32>(dy < 0 ? oy - e : oy + e)),
    fy = f32x4.splat(<f32>(dy < 0 ? oy + e : oy - e));
  const nz = f32x4.splat(<f32>(dz < 0 ? oz - e : oz + e)),
    fz = f32x4.splat(<f32>(dz < 0 ? oz + e : oz - e));
  const ix = f32x4.splat(<f32>inverse(dx)),
    iy = f32x4.splat(<f32>inverse(dy)),
    iz = f32x4.splat(<f32>inverse(dz));
  const near32 = f32x4.splat(<f32>tNear);
  const zero = f32x4.splat(0);
  const refs = scratch + REFS;
  const distances = scratch + DISTANCES;
  let lo = tMin;
  let hi = tMax;
  let lo4 = f32x4.splat(<f32>(lo - abs(lo) * LOOSE));
  let hi4 = f32x4.splat(<f32>(hi + abs(hi) * LOOSE));
  let best = f64.POSITIVE_INFINITY;
  let best32 = f32.POSITIVE_INFINITY;
  let bestSlot = -1;
  let depth: i32 = 0;
  let ref: i32 = 0;
  let noted: i32 = 0;
  for (;;) {
    if (ref < 0) {
      const first = ref & 0x7ffffff;
      const last = first + ((ref >>> 27) & 15);
      for (let slot = first; slot <= last; slot++) {
        const o = verts + <usize>(36 * slot);
        // corners relative to the origin; edge functions as scalar triple products, equal and opposite on a shared edge
        const ax = <f64>load<f32>(o) - ox,
          ay = <f64>load<f32>(o, 4) - oy,
          az = <f64>load<f32>(o, 8) - oz;
        const bx = <f64>load<f32>(o, 12) - ox,
          by = <f64>load<f32>(o, 16) - oy,
          bz = <f64>load<f32>(o, 20) - oz;
        const cx = <f64>load<f32>(o, 24) - ox,
          cy = <f64>load<f32>(o, 28) - oy,
          cz = <f64>load<f32>(o, 32) - oz;
        const wa = dx * (cy * bz - cz * by) + dy * (cz * bx - cx * bz) + dz * (cx * by - cy * bx);
        const wb = dx * (ay * cz - az * cy) + dy * (az * cx - ax * cz) + dz * (ax * cy - ay * cx);
        if ((wa < 0 && wb > 0) || (wa > 0 && wb < 0)) continue;
        const wc = dx * (by * az - bz * ay) + dy * (bz * ax - bx * az) + dz * (bx * ay - by * ax);
        if ((wc < 0 && (wa > 0 || wb > 0)) || (wc > 0 && (wa < 0 || wb < 0))) continue;
        const det = wa + wb + wc;
        if (det == 0 || (mode == ALONG && det > 0)) continue;
        const t =
          (wa * (ax * dx + ay * dy + az * dz) + wb * (bx * dx + by * dy + bz * dz) + wc * (cx * dx + cy * dy + cz * dz)) / (det * length2);
        if (t < lo || t > hi) continue;
        if (mode == FIRST) return slot;
        if (beyond > 1) {
          if (noted < MOST_NOTES) store<f64>(scratch + ((<usize>noted) << 3), t, NOTES);
          noted++;
        }
        const distance = t > tNear ? t - tNear : tNear - t;
        if (distance > best || (distance == best && slot > bestSlot)) continue;
        best = distance;
        bestSlot = slot;
        store<f64>(scratch, t);
        store<f64>(scratch, wb, 8);
        store<f64>(scratch, wc, 16);
        store<f64>(scratch, det, 24);
        const far = best * beyond;
        best32 = <f32>(far + (far + abs(tNear)) * LOOSE);
        if (tNear - far > lo) {
          lo = tNear - far;
          lo4 = f32x4.splat(<f32>(lo - abs(lo) * LOOSE));
        }
        if (tNear + far < hi) {
          hi = tNear + far;
          hi4 = f32x4.splat(<f32>(hi + abs(hi) * LOOSE));
        }
      }
    } else {
      const o = nodes + <usize>(112 * ref);
      const near = f32x4.pmax(
        f32x4.pmax(f32x4.mul(f32x4.sub(v128.load(o + sx), nx), ix), f32x4.mul(f32x4.sub(v128.load(o + sy, 16), ny), iy)),
        f32x4.mul(f32x4.sub(v128.load(o + sz, 32), nz), iz),
      );
      const far = f32x4.pmin(
        f32x4.pmin(f32x4.mul(f32x4.sub(v128.load(o - sx, 48), fx), ix), f32x4.mul(f32x4.sub(v128.load(o - sy, 64), fy), iy)),
        f32x4.mul(f32x4.sub(v128.load(o - sz, 80), fz), iz),
      );
      let mask = i32x4.bitmask(v128.and(f32x4.le(near, far), v128.and(f32x4.le(near, hi4), f32x4.ge(far, lo4))));
      if (mask != 0) {
        if ((mask & (mask - 1)) == 0) {
          ref = load<i32>(o + ((<usize>ctz(mask)) << 2), 96);
          continue;
        }
        const away = f32x4.pmax(zero, f32x4.pmax(f32x4.sub(near, near32), f32x4.sub(near32, far)));
        depth = putAside(scratch, o, mask, away, depth);
      }
    }
    // what was put aside may have fallen behind the best answer meanwhile
    do depth--;
    while (depth >= 0 && load<f32>(distances + ((<usize>depth) << 2)) > best32);
    if (depth < 0) break;
    ref = load<i32>(refs + ((<usize>depth) << 2));
  }
  store<i32>(scratch, noted, NOTED);
  return bestSlot;
}

/** Answers the first `count` of a slot's lines, each the hit with t in [-reach, reach] nearest to its wanted one, from the side that the normal looks to.
 *  @param beyond above 1  @param apart hits that lie no farther from the answer than this are the answer itself, met again  Writes slot -1 where there is
 *  no hit; as rival 1 where another hit lies up to `beyond` times as far from the wanted t, 0 where none does, -1 where too many were met to say */
export function nearestOfMany(
  scratch: usize,
  nodes: usize,
  verts: usize,
  largest: f64,
  count: i32,
  reach: f64,
  beyond: f64,
  apart: f64,
): void {
  for (let i = 0; i < count; i++) {
    const line = scratch + LINES + 64 * <usize>i;
    const answer = scratch + ANSWERS + 32 * <usize>i;
    const hit = scratch + HITS + 8 * <usize>i;
    const ox = load<f64>(line),
      oy = load<f64>(line, 8),
      oz = load<f64>(line, 16);
    const dx = load<f64>(line, 24),
      dy = load<f64>(line, 32),
      dz = load<f64>(line, 40);
    const tNear = load<f64>(line, 48);
    const slot = nearest(scratch, nodes, verts, largest, ox, oy, oz, dx, dy, dz, tNear, -reach, reach, ALONG, beyond);
    store<i32>(hit, slot);
    if (slot < 0) continue;
    const t = load<f64>(scratch);
    const det = load<f64>(scratch, 24);
    store<f64>(answer, t);
    store<f64>(answer, load<f64>(scratch, 8) / det, 8);
    store<f64>(answer, load<f64>(scratch, 16) / det, 16);
    store<f64>(answer, cosineOf(verts + <usize>(36 * slot), dx, dy, dz), 24);
    store<i32>(hit, rivalOf(scratch, t, tNear, reach, beyond, apart), 4);
  }
}

/** Cosine between a direction and a triangle's normal, as in src/spatial/ray.ts. */
function cosineOf(p: usize, dx: f64, dy: f64, dz: f64): f64 {
  const ax = <f64>load<f32>(p),
    ay = <f64>load<f32>(p, 4),
    az = <f64>load<f32>(p, 8);
  const e1x = <f64>load<f32>(p, 12) - ax,
    e1y = <f64>load<f32>(p, 16) - ay,
    e1z = <f64>load<f32>(p, 20) - az;
  const e2x = <f64>load<f32>(p, 24) - ax,
    e2y = <f64>load<f32>(p, 28) - ay,
    e2z = <f64>load<f32>(p, 32) - az;
  const nx = e1y * e2z - e1z * e2y;
  const ny = e1z * e2x - e1x * e2z;
  const nz = e1x * e2y - e1y * e2x;
  return (nx * dx + ny * dy + nz * dz) / sqrt((nx * nx + ny * ny + nz * nz) * (dx * dx + dy * dy + dz * dz));
}

/** Whether the notes of the last line hold a rival of its answer t. */
function rivalOf(scratch: usize, t: f64, tNear: f64, reach: f64, beyond: f64, apart: f64): i32 {
  const off = beyond * abs(t - tNear);
  if (off < apart) return 0;
  const noted = load<i32>(scratch, NOTED);
  if (noted > MOST_NOTES) return -1;
  const lo = max(-reach, tNear - off);
  const hi = min(reach, tNear + off);
  for (let k = 0; k < noted; k++) {
    const other = load<f64>(scratch + ((<usize>k) << 3), NOTES);
    if ((other >= lo && other <= t - apart) || (other >= t + apart && other <= hi)) return 1;
  }
  return 0;
}

/** Children of a node that are met go onto the stack, the nearest last: an insertion sort of at most four. @returns the new depth */
function putAside(scratch: usize, node: usize, mask: i32, away: v128, bottom: i32): i32 {
  const refs = scratch + REFS;
  const distances = scratch + DISTANCES;
  let depth = bottom;
  v128.store(scratch + CHILDREN, away);
  do {
    const k = <usize>ctz(mask);
    mask &= mask - 1;
    const d = load<f32>(scratch + CHILDREN + (k << 2));
    const r = load<i32>(node + (k << 2), 96);
    let at = depth;
    depth++;
    while (at > bottom && load<f32>(distances + ((<usize>(at - 1)) << 2)) < d) {
      store<f32>(distances + ((<usize>at) << 2), load<f32>(distances + ((<usize>(at - 1)) << 2)));
      store<i32>(refs + ((<usize>at) << 2), load<i32>(refs + ((<usize>(at - 1)) << 2)));
      at--;
    }
    store<f32>(distances + ((<usize>at) << 2), d);
    store<i32>(refs + ((<usize>at) << 2), r);
  } while (mask != 0);
  return depth;
}

/** Margin of a box's squared distance in single precision, as a share. */
const WIDER: f64 = 1.0 + 1.0 / 262144.0;

let found2: f64 = 0;
let foundSlot: i32 = -1;

/** Closest point of the triangles nearer than the square root of `max2`. Boxes are looked at in single precision, a little nearer than they are; triangles
 *  in double precision by the formulas of src/spatial/closest.ts. Writes the squared distance, the place, and u, v into the slot.
 *  @param seed a triangle to begin with, -1 for none  @returns slot in leaf order, -1 for none; which of several wins is not promised */
export function closest(scratch: usize, nodes: usize, verts: usize, largest: f64, px: f64, py: f64, pz: f64, max2: f64, seed: i32): i32 {
  const reach = max(largest, max(abs(px), max(abs(py), abs(pz))));
  const e = f32x4.splat(<f32>(LOOSE * reach));
  const x4 = f32x4.splat(<f32>px),
    y4 = f32x4.splat(<f32>py),
    z4 = f32x4.splat(<f32>pz);
  const zero = f32x4.splat(0);
  const refs = scratch + REFS;
  const distances = scratch + DISTANCES;
  found2 = max2;
  foundSlot = -1;
  if (seed >= 0) closestOn(scratch, verts, seed, px, py, pz);
  let best32 = <f32>(found2 * WIDER);
  let best4 = f32x4.splat(best32);
  let depth: i32 = 0;
  let ref: i32 = 0;
  for (;;) {
    if (ref < 0) {
      const first = ref & 0x7ffffff;
      const last = first + ((ref >>> 27) & 15);
      for (let slot = first; slot <= last; slot++) closestOn(scratch, verts, slot, px, py, pz);
      best32 = <f32>(found2 * WIDER);
      best4 = f32x4.splat(best32);
    } else {
      const o = nodes + <usize>(112 * ref);
      const dx = f32x4.pmax(zero, f32x4.sub(f32x4.pmax(f32x4.sub(v128.load(o), x4), f32x4.sub(x4, v128.load(o, 48))), e));
      const dy = f32x4.pmax(zero, f32x4.sub(f32x4.pmax(f32x4.sub(v128.load(o, 16), y4), f32x4.sub(y4, v128.load(o, 64))), e));
      const dz = f32x4.pmax(zero, f32x4.sub(f32x4.pmax(f32x4.sub(v128.load(o, 32), z4), f32x4.sub(z4, v128.load(o, 80))), e));
      const d2 = f32x4.add(f32x4.add(f32x4.mul(dx, dx), f32x4.mul(dy, dy)), f32x4.mul(dz, dz));
      // an empty child is infinitely far
      let mask = i32x4.bitmask(f32x4.lt(d2, best4));
      if (mask != 0) {
        if ((mask & (mask - 1)) == 0) {
          ref = load<i32>(o + ((<usize>ctz(mask)) << 2), 96);
          continue;
        }
        depth = putAside(scratch, o, mask, d2, depth);
      }
    }
    do depth--;
    while (depth >= 0 && load<f32>(distances + ((<usize>depth) << 2)) >= best32);
    if (depth < 0) break;
    ref = load<i32>(refs + ((<usize>depth) << 2));
  }
  return foundSlot;
}

/** Ericson, Real-Time Collision Detection, 5.1.5, in the order of src/spatial/closest.ts. */
function closestOn(scratch: usize, verts: usize, slot: i32, px: f64, py: f64, pz: f64): void {
  const o = verts + <usize>(36 * slot);
  const ax = <f64>load<f32>(o),
    ay = <f64>load<f32>(o, 4),
    az = <f64>load<f32>(o, 8);
  const abx = <f64>load<f32>(o, 12) - ax,
    aby = <f64>load<f32>(o, 16) - ay,
    abz = <f64>load<f32>(o, 20) - az;
  const acx = <f64>load<f32>(o, 24) - ax,
    acy = <f64>load<f32>(o, 28) - ay,
    acz = <f64>load<f32>(o, 32) - az;
  const apx = px - ax,
    apy = py - ay,
    apz = pz - az;
  const d1 = abx * apx + aby * apy + abz * apz;
  const d2 = acx * apx + acy * apy + acz * apz;
  let u: f64 = 0;
  let v: f64 = 0;
  if (d1 > 0 || d2 > 0) {
    const bpx = apx - abx,
      bpy = apy - aby,
      bpz = apz - abz;
    const d3 = abx * bpx + aby * bpy + abz * bpz;
    const d4 = acx * bpx + acy * bpy + acz * bpz;
    const vc = d1 * d4 - d3 * d2;
    if (d3 >= 0 && d4 <= d3) u = 1;
    else if (vc <= 0 && d1 >= 0 && d3 <= 0) u = d1 / (d1 - d3);
    else {
      const cpx = apx - acx,
        cpy = apy - acy,
        cpz = apz - acz;
      const d5 = abx * cpx + aby * cpy + abz * cpz;
      const d6 = acx * cpx + acy * cpy + acz * cpz;
      const vb = d5 * d2 - d1 * d6;
      const va = d3 * d6 - d5 * d4;
      if (d6 >= 0 && d5 <= d6) v = 1;
      else if (vb <= 0 && d2 >= 0 && d6 <= 0) v = d2 / (d2 - d6);
      else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        v = (d4 - d3) / (d4 - d3 + (d5 - d6));
        u = 1 - v;
      } else {
        const sum = va + vb + vc;
        u = sum == 0 ? 0 : vb / sum;
        v = sum == 0 ? 0 : vc / sum;
      }
    }
  }
  const x = ax + u * abx + v * acx;
  const y = ay + u * aby + v * acy;
  const z = az + u * abz + v * acz;
  const ex = px - x,
    ey = py - y,
    ez = pz - z;
  const distance2 = ex * ex + ey * ey + ez * ez;
  if (distance2 < found2) {
    found2 = distance2;
    foundSlot = slot;
    store<f64>(scratch, distance2);
    store<f64>(scratch, x, 8);
    store<f64>(scratch, y, 16);
    store<f64>(scratch, z, 24);
    store<f64>(scratch, u, 32);
    store<f64>(scratch, v, 40);
  }
}
