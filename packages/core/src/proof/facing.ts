import { NO_POINT } from '../mesh/surface-samples';
import { trianglesIn } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { beside } from '../runtime/threads';
import type { ComparedSurface } from './compare';
import { pooledQuantile, weightedFigures } from './statistics';

/** How a proof's surface faces against the sculpt's. */
export interface Facing {
  /** Between the interpolated normals at the faces' samples, weighted by area, degrees. */
  readonly normalAngle: { readonly mean: number; readonly p95: number };
  /** Area of faces whose own normal opposes the sculpt's at the closest point, as a share. */
  readonly foldShare: number;
}

interface FacingInput {
  readonly proof: ComparedSurface;
  readonly faceOffsets: Uint32Array; // F + 1
  /** The sculpt's normals at the points nearest to the faces' samples, of any length. */
  readonly toSculpt: Float32Array; // 3 F
}

export const facingFigures: Kernel<null, FacingInput, Facing> = {
  name: 'facing-figures',
  run: (_, { proof, faceOffsets, toSculpt }) => ({
    normalAngle: normalAngles(proof, toSculpt),
    foldShare: foldedShare(proof, faceOffsets, toSculpt),
  }),
};

/** How a proof faces, on another thread. @throws CancelledError */
export const facingBeside = (input: FacingInput, threads: Threads, control?: RunControl): Promise<Facing> =>
  beside(facingFigures, null, input, threads, control);

function normalAngles({ samples, normals }: ComparedSurface, toSculpt: Float32Array): Facing['normalAngle'] {
  const F = toSculpt.length / 3;
  const angles = new Float32Array(F);
  const weights = samples.weights.subarray(samples.pointCount);
  for (let f = 0; f < F; f++) angles[f] = angleAt(samples.blends, normals, toSculpt, 3 * f);
  return { mean: weightedFigures(angles, weights).mean, p95: pooledQuantile([{ values: angles, weights }], 0.95) };
}

/** Degrees at a face's sample, where the normal is that of the sample: on a quad's diagonal, not in the middle of its corners. @param o of the face in `blends` */
function angleAt(blends: Uint32Array, normals: Float32Array, toSculpt: Float32Array, o: number): number {
  let x = 0, y = 0, z = 0; // prettier-ignore
  for (let k = o; k < o + 3; k++) {
    if (blends[k] === NO_POINT) continue;
    const v = 3 * blends[k];
    x += normals[v];
    y += normals[v + 1];
    z += normals[v + 2];
  }
  const sx = toSculpt[o], sy = toSculpt[o + 1], sz = toSculpt[o + 2]; // prettier-ignore
  const cross = Math.hypot(y * sz - z * sy, z * sx - x * sz, x * sy - y * sx);
  return (Math.atan2(cross, x * sx + y * sy + z * sz) * 180) / Math.PI;
}

function foldedShare({ positions: p, verts }: ComparedSurface, faceOffsets: Uint32Array, toSculpt: Float32Array): number {
  let folded = 0;
  let all = 0;
  let face = 0;
  let last = trianglesIn(faceOffsets[1]);
  for (let t = 0; t < verts.length / 3; t++) {
    while (t >= last) {
      face++;
      last += trianglesIn(faceOffsets[face + 1] - faceOffsets[face]);
    }
    const a = 3 * verts[3 * t], b = 3 * verts[3 * t + 1], c = 3 * verts[3 * t + 2]; // prettier-ignore
    const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
    const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
    const nx = uy * wz - uz * wy, ny = uz * wx - ux * wz, nz = ux * wy - uy * wx; // prettier-ignore
    const area = Math.sqrt(nx * nx + ny * ny + nz * nz);
    all += area;
    const o = 3 * face;
    if (nx * toSculpt[o] + ny * toSculpt[o + 1] + nz * toSculpt[o + 2] < 0) folded += area;
  }
  return all === 0 ? 0 : folded / all;
}
