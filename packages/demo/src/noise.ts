/** Seeded noise in space: the same numbers on every machine (integer hashing only). */

/** Uniform 0..1 from three lattice coordinates and a seed. */
export function hash3(x: number, y: number, z: number, seed: number): number {
  let h = Math.imul(x, 0x27d4eb2d) ^ Math.imul(y, 0x165667b1) ^ Math.imul(z, 0x2c1b3c6d) ^ Math.imul(seed, 0x297a2d39);
  h = Math.imul(h ^ (h >>> 15), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return ((h ^ (h >>> 16)) >>> 0) / 0x100000000;
}

const fade = (t: number): number => t * t * t * (t * (t * 6 - 15) + 10);

/** Smooth value noise, -1..1, features of about one unit. */
export function valueNoise(x: number, y: number, z: number, seed: number): number {
  const ix = Math.floor(x);
  const iy = Math.floor(y);
  const iz = Math.floor(z);
  const fx = fade(x - ix);
  const fy = fade(y - iy);
  const fz = fade(z - iz);
  let sum = 0;
  for (let k = 0; k < 8; k++) {
    const dx = k & 1;
    const dy = (k >> 1) & 1;
    const dz = k >> 2;
    sum += hash3(ix + dx, iy + dy, iz + dz, seed) * (dx ? fx : 1 - fx) * (dy ? fy : 1 - fy) * (dz ? fz : 1 - fz);
  }
  return 2 * sum - 1;
}

/** Round pits: 0 away from them, up to 1 in the middle of the deepest; one at most in each unit cell, with probability `density`. */
export function pits(x: number, y: number, z: number, seed: number, density: number): number {
  const ix = Math.floor(x);
  const iy = Math.floor(y);
  const iz = Math.floor(z);
  let deepest = 0;
  for (let dx = -1; dx <= 1; dx++)
    for (let dy = -1; dy <= 1; dy++)
      for (let dz = -1; dz <= 1; dz++) {
        const [cx, cy, cz] = [ix + dx, iy + dy, iz + dz];
        if (hash3(cx, cy, cz, seed) > density) continue;
        const radius = 0.35 + 0.4 * hash3(cx, cy, cz, seed + 1);
        const d =
          Math.hypot(x - cx - hash3(cx, cy, cz, seed + 2), y - cy - hash3(cx, cy, cz, seed + 3), z - cz - hash3(cx, cy, cz, seed + 4)) /
          radius;
        if (d >= 1) continue;
        const depth = (1 - d * d) ** 2 * (0.4 + 0.6 * hash3(cx, cy, cz, seed + 5));
        if (depth > deepest) deepest = depth;
      }
  return deepest;
}

/** 0 below `from`, 1 above `to`, smooth between. */
export function smoothStep(from: number, to: number, x: number): number {
  const t = Math.min(1, Math.max(0, (x - from) / (to - from)));
  return t * t * (3 - 2 * t);
}

/** A ridge of height 1 and half width `w` around `centre`, with rounded shoulders. */
export const ridge = (x: number, centre: number, w: number): number => 1 - smoothStep(0.45 * w, w, Math.abs(x - centre));
