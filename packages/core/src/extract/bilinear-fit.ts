import { bilinearTexels, readTexels } from '../raster/sample';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';

/** What a fit changed; residuals are RMS of bilinear reads against the measured values, in the values' unit (the length of the difference
 *  where there are several channels); of normals the angle, in degrees. */
export interface FitGain {
  readonly reads: number;
  readonly before: number;
  readonly after: number;
}

/** What fitting the tiles of a map gained, over all their reads. */
export function gainOverTiles(tiles: readonly FitGain[]): FitGain {
  const reads = tiles.reduce((n, t) => n + t.reads, 0);
  const rms = (of: 'before' | 'after'): number =>
    reads === 0 ? 0 : Math.sqrt(tiles.reduce((sum, t) => sum + t.reads * t[of] ** 2, 0) / reads);
  return { reads, before: rms('before'), after: rms('after') };
}

/** Reads that a raster should give. */
export interface WantedReads {
  /** Calls back with every read in the same order each time: place (0..1, v up), weight, wanted value per channel (lent). */
  each(visit: (u: number, v: number, weight: number, wanted: ArrayLike<number>) => void): void;
}

const MAX_STEPS = 300;
const STOP_AT = 1e-7;
const NONE = -1;

/** Texel values by least squares over bilinear reads: sum w (read - wanted)^2 + sum pull (value - old)^2, smallest.
 *
 *  A read touches four texels, so the normal equations are a nine-point stencil. They are set up for the *change* of the touched texels, from
 *  residuals in double precision, so that values far from zero cost no digits, and solved by conjugate gradients with a diagonal preconditioner
 *  (Hestenes and Stiefel 1952). Memory: 4 bytes a texel of the raster and 80 a touched one while it lives. */
export class BilinearFit {
  /** Number of each touched texel; NONE for others. */
  private readonly numberOf: Int32Array;
  /** Touched texels, ascending. */
  readonly texels: Uint32Array;
  private readonly diagonal: Float64Array;
  private readonly right: Float64Array;
  private readonly below: Float64Array;
  private readonly belowRight: Float64Array;
  private readonly belowLeft: Float64Array;

  /** @param W, H at least 2 */
  constructor(
    private readonly W: number,
    private readonly H: number,
    private readonly reads: WantedReads,
  ) {
    const numberOf = new Int32Array(W * H).fill(NONE);
    let count = 0;
    reads.each((u, v) => {
      const { i } = bilinearTexels(W, H, u, v);
      for (const t of [i, i + 1, i + W, i + W + 1]) if (numberOf[t] === NONE) numberOf[t] = count++;
    });
    // in raster order, so that neighbours lie together in memory
    this.texels = new Uint32Array(count);
    count = 0;
    for (let t = 0; t < numberOf.length; t++)
      if (numberOf[t] !== NONE) {
        this.texels[count] = t;
        numberOf[t] = count++;
      }
    this.numberOf = numberOf;
    this.diagonal = new Float64Array(count);
    this.right = new Float64Array(count);
    this.below = new Float64Array(count);
    this.belowRight = new Float64Array(count);
    this.belowLeft = new Float64Array(count);
    const { diagonal, right, below, belowRight, belowLeft } = this;
    reads.each((u, v, weight) => {
      const { i, w00, w10, w01, w11 } = bilinearTexels(W, H, u, v);
      const a = numberOf[i], b = numberOf[i + 1], c = numberOf[i + W], d = numberOf[i + W + 1]; // prettier-ignore
      diagonal[a] += weight * w00 * w00;
      diagonal[b] += weight * w10 * w10;
      diagonal[c] += weight * w01 * w01;
      diagonal[d] += weight * w11 * w11;
      right[a] += weight * w00 * w10;
      right[c] += weight * w01 * w11;
      below[a] += weight * w00 * w01;
      below[b] += weight * w10 * w11;
      belowRight[a] += weight * w00 * w11;
      belowLeft[b] += weight * w10 * w01;
    });
  }

  /** Changes the values that reads touch, channel by channel.
   *  @param values float32[channels W H]; old values in, fitted values out
   *  @param pull of a texel towards its old value, in the same weight as reads; above 0. It is absolute on purpose: relative to the reads on a
   *  texel, a texel that all reads touch at a hundredth would be thrown a hundred times their error
   *  @param wantedOf what a read should give, where it is not what `reads` says: gets the value read and may change the wanted one
   *  @throws CancelledError between steps */
  solveInPlace(
    values: Float32Array,
    channels: number,
    pull: (texel: number) => number,
    control?: RunControl,
    wantedOf?: (read: Float64Array, wanted: Float64Array) => void,
  ): void {
    const { W, H, numberOf, texels, diagonal } = this;
    const n = texels.length;
    const rights = Array.from({ length: channels }, () => new Float64Array(n));
    const read = new Float64Array(channels);
    const wanted = new Float64Array(channels);
    this.reads.each((u, v, weight, given) => {
      const texelsOf = bilinearTexels(W, H, u, v);
      const { i, w00, w10, w01, w11 } = texelsOf;
      readTexels(read, values, W, texelsOf);
      for (let k = 0; k < channels; k++) wanted[k] = given[k];
      wantedOf?.(read, wanted);
      for (let k = 0; k < channels; k++) {
        const residual = weight * (wanted[k] - read[k]);
        rights[k][numberOf[i]] += w00 * residual;
        rights[k][numberOf[i + 1]] += w10 * residual;
        rights[k][numberOf[i + W]] += w01 * residual;
        rights[k][numberOf[i + W + 1]] += w11 * residual;
      }
    });
    const pulls = Float64Array.from(texels, pull);
    const scale = Float64Array.from(pulls, (p, i) => 1 / (diagonal[i] + p));
    for (let k = 0; k < channels; k++) {
      const change = this.solve(rights[k], pulls, scale, control);
      for (let i = 0; i < n; i++) values[channels * texels[i] + k] += change[i];
    }
  }

  /** RMS of the reads against what they should give, and how many there are. @param differenceOf squared, from the value read and the wanted one */
  residual(
    values: Float32Array,
    channels: number,
    differenceOf: (read: Float64Array, wanted: ArrayLike<number>) => number = squaredDifference,
  ): { readonly reads: number; readonly rms: number } {
    const { W, H } = this;
    const read = new Float64Array(channels);
    let sum = 0;
    let weights = 0;
    let reads = 0;
    this.reads.each((u, v, weight, wanted) => {
      readTexels(read, values, W, bilinearTexels(W, H, u, v));
      sum += weight * differenceOf(read, wanted);
      weights += weight;
      reads++;
    });
    return { reads, rms: weights === 0 ? 0 : Math.sqrt(sum / weights) };
  }

  /** @param r right-hand side, overwritten */
  private solve(r: Float64Array, pulls: Float64Array, scale: Float64Array, control: RunControl | undefined): Float64Array {
    const n = r.length;
    const change = new Float64Array(n);
    const p = new Float64Array(n);
    const q = new Float64Array(n);
    let rz = 0;
    for (let i = 0; i < n; i++) {
      p[i] = scale[i] * r[i];
      rz += r[i] * p[i];
    }
    const enough = STOP_AT * STOP_AT * rz;
    for (let step = 0; step < MAX_STEPS && rz > enough && rz > 0; step++) {
      throwIfAborted(control);
      this.multiply(q, p);
      let pq = 0;
      for (let i = 0; i < n; i++) {
        q[i] += pulls[i] * p[i];
        pq += p[i] * q[i];
      }
      if (!(pq > 0)) break;
      const alpha = rz / pq;
      let next = 0;
      for (let i = 0; i < n; i++) {
        change[i] += alpha * p[i];
        r[i] -= alpha * q[i];
        next += scale[i] * r[i] * r[i];
      }
      const beta = next / rz;
      rz = next;
      for (let i = 0; i < n; i++) p[i] = scale[i] * r[i] + beta * p[i];
    }
    return change;
  }

  /** out = A x over the touched texels. */
  private multiply(out: Float64Array, x: Float64Array): void {
    const { W, numberOf, texels, diagonal, right, below, belowRight, belowLeft } = this;
    for (let i = 0; i < texels.length; i++) out[i] = diagonal[i] * x[i];
    for (let i = 0; i < texels.length; i++) {
      const t = texels[i];
      if (right[i] !== 0) couple(out, x, i, numberOf[t + 1], right[i]);
      if (below[i] !== 0) couple(out, x, i, numberOf[t + W], below[i]);
      if (belowRight[i] !== 0) couple(out, x, i, numberOf[t + W + 1], belowRight[i]);
      if (belowLeft[i] !== 0) couple(out, x, i, numberOf[t + W - 1], belowLeft[i]);
    }
  }
}

function couple(out: Float64Array, x: Float64Array, i: number, j: number, w: number): void {
  out[i] += w * x[j];
  out[j] += w * x[i];
}

function squaredDifference(read: Float64Array, wanted: ArrayLike<number>): number {
  let sum = 0;
  for (let k = 0; k < read.length; k++) sum += (read[k] - wanted[k]) ** 2;
  return sum;
}
