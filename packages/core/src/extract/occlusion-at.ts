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
 *  Directions are a Hammersley set on the disc below the hemisphere (Malley's method; Pharr, Jakob, Humphreys 2016, 13.6.3), so they are
 *  stratified; of a sample that looks around for itself shifted by two random numbers, of several that divide one set among them each moved
 *  within its own cell. The result depends on the seed and the place only. */
export class OcclusionAt {
  /** Of the rays last cast: unit directions, and 1 where something is in the way. */
  readonly directions: Float32Array; // 3 rays
  readonly blocked: Uint8Array; // rays
  private readonly block: BlockQuery;
  private readonly off: OffSurface;
  /** Turns of the whole set's directions; their squared radii are ascending and even. */
  private readonly turns: Float64Array; // parts rays
  private readonly firstRing: number;

  /** @param rays a sample @param parts samples side by side that divide one set of directions among them */
  constructor(
    tree: Bvh,
    private readonly options: OcclusionOptions,
    private readonly rays = options.rays,
    private readonly parts = 1,
  ) {
    this.block = new BlockQuery(tree);
    this.off = new OffSurface(tree, options.liftUnits);
    this.directions = new Float32Array(3 * rays);
    this.blocked = new Uint8Array(rays);
    // several that divide one set see it all: another seed must be another set, or their errors would be the same (a scramble of all digits at once,
    // which keeps the strata: Kollig and Keller 2002; and a turn of the whole)
    const [digits, turn, out] = parts === 1 ? [0, 0, 0] : hash3(options.seed, options.tile, parts);
    this.firstRing = (out >>> 0) % (rays * parts);
    this.turns = Float64Array.from({ length: rays * parts }, (_, i) => ((reversed(i) ^ digits) >>> 0) / 2 ** 32 + (turn >>> 0) / 2 ** 32);
  }

  /** @param q point of the sculpt @param n its unit shading normal @param column, row of the sample, for the seed */
  openness(q: Float64Array, n: Float64Array, column: number, row: number): number {
    if (!this.cast(q, n, column, row)) return 1;
    let blocked = 0;
    for (let i = 0; i < this.rays; i++) blocked += this.blocked[i];
    return 1 - blocked / this.rays;
  }

  /** Casts the rays of one sample. @param part which part of the set is its own @returns false where there is no surface to start from */
  cast(q: Float64Array, n: Float64Array, column: number, row: number, part = 0): boolean {
    const { rays, parts, directions, turns } = this;
    const { distance, seed, farUnits, tile } = this.options;
    const from = this.off;
    if (!from.find(q, n)) return false;
    const { x, y, z } = from;
    // two directions across the normal (Duff et al. 2017)
    const sign = n[2] < 0 ? -1 : 1;
    const a = -1 / (sign + n[2]);
    const b = n[0] * n[1] * a;
    const tx = 1 + sign * n[0] * n[0] * a, ty = sign * b, tz = -sign * n[0]; // prettier-ignore
    const bx = b, by = sign + n[1] * n[1] * a, bz = -n[1]; // prettier-ignore
    const hash = hash3(column, row, Math.imul(tile, 7919) ^ seed);
    const all = rays * parts;
    const shiftRadius = (hash[0] >>> 8) / 0x1000000;
    const shiftTurn = (hash[1] >>> 8) / 0x1000000 / (parts === 1 ? 1 : all);
    const tMax = Math.min(distance, farUnits);
    for (let i = 0; i < rays; i++) {
      const k = i * parts + part;
      const ring = k + this.firstRing;
      const r2 = ((ring < all ? ring : ring - all) + shiftRadius) / all;
      const angle = 2 * Math.PI * (turns[k] + shiftTurn);
      const r = Math.sqrt(r2);
      const c = r * Math.cos(angle);
      const s = r * Math.sin(angle);
      const up = Math.sqrt(Math.max(0, 1 - r2));
      const dx = c * tx + s * bx + up * n[0];
      const dy = c * ty + s * by + up * n[1];
      const dz = c * tz + s * bz + up * n[2];
      directions[3 * i] = dx;
      directions[3 * i + 1] = dy;
      directions[3 * i + 2] = dz;
      this.blocked[i] = this.block.blocked(x, y, z, dx, dy, dz, tMax) ? 1 : 0;
    }
    return true;
  }
}

/** The bits of a number in the other order: over 2^32, van der Corput's sequence in base 2. */
function reversed(i: number): number {
  let x = 0;
  for (let bit = 31, k = i; k > 0; k >>>= 1, bit--) if (k & 1) x |= 1 << bit;
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
