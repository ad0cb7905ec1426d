import type { Bvh } from '../spatial/bvh';
import { BlockQuery } from '../spatial/blocked';
import { OffSurface } from './off-surface';

export interface OcclusionOptions {
  /** Rays a sample. */
  readonly rays: number;
  /** Scene units within which things block; Infinity for any distance. */
  readonly distance: number;
  readonly seed: number;
  /** How far a ray starts off the surface, scene units. */
  readonly liftUnits: number;
  /** Longer than anything in the sculpt, scene units: an endless ray would meet all boxes of the tree. */
  readonly farUnits: number;
  /** Tile, so that tiles have noise of their own. */
  readonly tile: number;
}

/** How open the sculpt is at a point: 1 - the blocked share of a cosine-weighted hemisphere. One object a thread.
 *
 *  Directions are a Hammersley set on the disc below the hemisphere (Malley's method; Pharr, Jakob, Humphreys 2016, 13.6.3), shifted by
 *  two random numbers a sample, so they are stratified, and the result depends on the seed and the place only. */
export class OcclusionAt {
  private readonly block: BlockQuery;
  private readonly off: OffSurface;
  private readonly radii: Float64Array;
  private readonly turns: Float64Array;

  constructor(
    tree: Bvh,
    private readonly options: OcclusionOptions,
  ) {
    this.block = new BlockQuery(tree);
    this.off = new OffSurface(tree, options.liftUnits);
    this.radii = Float64Array.from({ length: options.rays }, (_, i) => i / options.rays);
    this.turns = Float64Array.from({ length: options.rays }, (_, i) => radicalInverse(i));
  }

  /** @param q point of the sculpt @param n its unit shading normal @param column, row of the sample, for the seed */
  openness(q: Float64Array, n: Float64Array, column: number, row: number): number {
    const { rays, distance, seed, farUnits, tile } = this.options;
    const from = this.off;
    if (!from.find(q, n)) return 1;
    const { x, y, z } = from;
    // two directions across the normal (Duff et al. 2017)
    const sign = n[2] < 0 ? -1 : 1;
    const a = -1 / (sign + n[2]);
    const b = n[0] * n[1] * a;
    const tx = 1 + sign * n[0] * n[0] * a, ty = sign * b, tz = -sign * n[0]; // prettier-ignore
    const bx = b, by = sign + n[1] * n[1] * a, bz = -n[1]; // prettier-ignore
    const hash = hash3(column, row, Math.imul(tile, 7919) ^ seed);
    const shiftRadius = (hash[0] >>> 8) / 0x1000000;
    const shiftTurn = (hash[1] >>> 8) / 0x1000000;
    const tMax = Math.min(distance, farUnits);
    let blocked = 0;
    for (let i = 0; i < rays; i++) {
      const r2 = this.radii[i] + shiftRadius / rays;
      const turns = this.turns[i] + shiftTurn;
      const r = Math.sqrt(r2);
      const c = r * Math.cos(2 * Math.PI * turns);
      const s = r * Math.sin(2 * Math.PI * turns);
      const up = Math.sqrt(Math.max(0, 1 - r2));
      const dx = c * tx + s * bx + up * n[0];
      const dy = c * ty + s * by + up * n[1];
      const dz = c * tz + s * bz + up * n[2];
      if (this.block.blocked(x, y, z, dx, dy, dz, tMax)) blocked++;
    }
    return 1 - blocked / rays;
  }
}

/** Van der Corput's sequence in base 2. */
function radicalInverse(i: number): number {
  let x = 0;
  for (let bit = 0.5, k = i; k > 0; k >>>= 1, bit /= 2) if (k & 1) x += bit;
  return x;
}

/** Three well mixed 32 bit numbers of three (pcg3d; Jarzynski and Olano, Hash Functions for GPU Rendering, 2020). */
function hash3(a: number, b: number, c: number): [number, number, number] {
  let x = (Math.imul(a, 1664525) + 1013904223) | 0;
  let y = (Math.imul(b, 1664525) + 1013904223) | 0;
  let z = (Math.imul(c, 1664525) + 1013904223) | 0;
  for (let round = 0; round < 2; round++) {
    x = (x + Math.imul(y, z)) | 0;
    y = (y + Math.imul(z, x)) | 0;
    z = (z + Math.imul(x, y)) | 0;
    if (round === 0) {
      x ^= x >>> 16;
      y ^= y >>> 16;
      z ^= z >>> 16;
    }
  }
  return [x, y, z];
}
