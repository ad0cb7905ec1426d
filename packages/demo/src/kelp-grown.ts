import type { PolyMesh } from '@estampe/core';
import { faceCount, limitPoints, pointCount, polyMesh, refineLevels } from '@estampe/core';
import { kelpHoldfastBase } from './kelp-holdfast';
import { hash3, smoothStep, valueNoise } from './noise';

/** Millimetres: how far strands stand out, and the grain of their bark. */
const STRANDS = 13;
const BARK = 1.2;
/** Points move at most this share of a quad's side from where a level would have them. */
const LOOSE = 0.38;
const SEED = 173;

/** How far the holdfast stands out over a place of its smooth surface: strands that wander downwards, and bark on them. */
function outwards(x: number, y: number, z: number): number {
  const turn = Math.atan2(x, z) / Math.PI;
  const wander = 0.16 * valueNoise(y / 90, 0, 0, SEED) + 0.1 * valueNoise(x / 70, y / 70, z / 70, SEED + 1);
  const across = Math.abs((((((turn + wander) * 9) % 1) + 1) % 1) - 0.5) * 2;
  // where they meet at the stalk there is no room for strands
  const strand = smoothStep(0.15, 0.85, 1 - across) * smoothStep(15, 110, Math.hypot(x, z));
  const bark = valueNoise(x / 9, y / 22, z / 9, SEED + 2) + 0.5 * valueNoise(x / 4, y / 9, z / 4, SEED + 3);
  return STRANDS * strand * (0.6 + 0.4 * valueNoise(x / 110, y / 110, z / 110, SEED + 4)) + BARK * bark;
}

/** The holdfast grown from its light mesh, so that it has the same holes and each place has its own: level `top` of the light mesh, every point put
 *  where the smooth surface takes it. */
export function kelpGrownLevel(top: number): PolyMesh {
  const refined = refineLevels(kelpHoldfastBase(), top);
  const { positions: p, normals: n } = limitPoints(refined);
  const positions = new Float32Array(p.length);
  for (let i = 0; i < p.length; i += 3) {
    const by = outwards(p[i], p[i + 1], p[i + 2]);
    for (let k = 0; k < 3; k++) positions[i + k] = p[i + k] + by * n[i + k];
  }
  return { ...refined.mesh, positions };
}

/** The same as a free sculpt, triangulated anew: other points on the same surface, other diagonals, another order. Its surface is that of the level
 *  above, so no point of a level but by chance is one of its own. */
export function kelpGrown(top = 4): PolyMesh {
  const coarse = kelpGrownLevel(top);
  const fine = kelpGrownLevel(top + 1);
  const P = pointCount(coarse);
  const F = faceCount(coarse);
  // a point moves into one of its faces, along the quads of the level above
  const positions = coarse.positions.slice();
  const moved = new Uint8Array(P);
  for (let f = 0; f < F; f++)
    for (let k = 0; k < 4; k++) {
      const v = coarse.faceVerts[4 * f + k];
      if (moved[v] === 1 || hash3(v, f, 0, SEED) < 0.3) continue;
      moved[v] = 1;
      const s = LOOSE * 2 * hash3(v, 1, 0, SEED);
      const t = LOOSE * 2 * hash3(v, 2, 0, SEED);
      // child k of a face begins at its corner k: point, edge, face, edge before
      const [a, b, c, d] = [0, 1, 2, 3].map((i) => 3 * fine.faceVerts[16 * f + 4 * k + i]);
      for (let i = 0; i < 3; i++)
        positions[3 * v + i] =
          (1 - s) * (1 - t) * fine.positions[a + i] + s * (1 - t) * fine.positions[b + i] + s * t * fine.positions[c + i] + (1 - s) * t * fine.positions[d + i]; // prettier-ignore
    }
  const order = shuffled(P);
  const shuffledPositions = new Float32Array(3 * P);
  for (let v = 0; v < P; v++) shuffledPositions.set(positions.subarray(3 * v, 3 * v + 3), 3 * order[v]);
  const faceVerts = new Uint32Array(6 * F);
  for (let f = 0; f < F; f++) {
    const turn = hash3(f, 3, 0, SEED) < 0.5 ? 0 : 1;
    const [a, b, c, d] = [0, 1, 2, 3].map((k) => order[coarse.faceVerts[4 * f + ((k + turn) % 4)]]);
    faceVerts.set([a, b, c, a, c, d], 6 * f);
  }
  return polyMesh({ positions: shuffledPositions, faceVerts, faceOffsets: Uint32Array.from({ length: 2 * F + 1 }, (_, t) => 3 * t) });
}

/** New numbers for n points: a permutation, the same each time (Durstenfeld 1964). */
function shuffled(n: number): Uint32Array {
  const order = Uint32Array.from({ length: n }, (_, i) => i);
  for (let i = n - 1; i > 0; i--) {
    const j = Math.floor(hash3(i, 4, 0, SEED) * (i + 1));
    [order[i], order[j]] = [order[j], order[i]];
  }
  return order;
}
