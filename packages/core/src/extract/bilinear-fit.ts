import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';

/** What a fit changed; residuals are RMS of bilinear reads against the measured values, in the values' unit. */
export interface FitGain {
  readonly reads: number;
  readonly before: number;
  readonly after: number;
}

const MAX_STEPS = 300;
const STOP_AT = 1e-7;

/** Texel values by least squares over bilinear reads: sum w (read - wanted)^2 + sum anchor (value - old)^2, smallest.
 *
 *  A read touches four texels, so the normal equations are a nine-point stencil; they are gathered as reads come in and solved by conjugate
 *  gradients with a diagonal preconditioner (Hestenes and Stiefel 1952). Memory: 44 bytes a texel of the raster while it lives. */
export class BilinearFit {
  private readonly diagonal: Float32Array;
  private readonly right: Float32Array;
  private readonly below: Float32Array;
  private readonly belowRight: Float32Array;
  private readonly belowLeft: Float32Array;
  private readonly wanted: Float64Array;
  private squares = 0;
  private weights = 0;
  private reads = 0;

  /** @param W, H at least 2 */
  constructor(
    private readonly W: number,
    private readonly H: number,
  ) {
    const n = W * H;
    this.diagonal = new Float32Array(n);
    this.right = new Float32Array(n);
    this.below = new Float32Array(n);
    this.belowRight = new Float32Array(n);
    this.belowLeft = new Float32Array(n);
    this.wanted = new Float64Array(n);
  }

  /** One read at (u, v) of the tile (0..1, v up), clamped as `sampleRaster` does. */
  add(u: number, v: number, value: number, weight: number): void {
    const { W, H, diagonal, right, below, belowRight, belowLeft, wanted } = this;
    const x = Math.min(W - 1, Math.max(0, u * W - 0.5));
    const y = Math.min(H - 1, Math.max(0, (1 - v) * H - 0.5));
    const x0 = Math.min(W - 2, Math.floor(x));
    const y0 = Math.min(H - 2, Math.floor(y));
    const ax = x - x0;
    const ay = y - y0;
    const w00 = (1 - ax) * (1 - ay), w10 = ax * (1 - ay), w01 = (1 - ax) * ay, w11 = ax * ay; // prettier-ignore
    const i = y0 * W + x0;
    diagonal[i] += weight * w00 * w00;
    diagonal[i + 1] += weight * w10 * w10;
    diagonal[i + W] += weight * w01 * w01;
    diagonal[i + W + 1] += weight * w11 * w11;
    right[i] += weight * w00 * w10;
    right[i + W] += weight * w01 * w11;
    below[i] += weight * w00 * w01;
    below[i + 1] += weight * w10 * w11;
    belowRight[i] += weight * w00 * w11;
    belowLeft[i + 1] += weight * w10 * w01;
    wanted[i] += weight * w00 * value;
    wanted[i + 1] += weight * w10 * value;
    wanted[i + W] += weight * w01 * value;
    wanted[i + W + 1] += weight * w11 * value;
    this.squares += weight * value * value;
    this.weights += weight;
    this.reads++;
  }

  /** Changes the values that reads touch.
   *  @param values float32[W H]; old values in, fitted values out
   *  @param anchor pull of a texel towards its old value, in the same weight as reads; above 0. It is absolute on purpose: relative to the
   *  reads on a texel, a texel that all reads touch at a hundredth would be thrown a hundred times their error
   *  @throws CancelledError between steps */
  solveInPlace(values: Float32Array, anchor: (texel: number) => number, control?: RunControl): FitGain {
    const { diagonal, wanted } = this;
    let count = 0;
    for (let i = 0; i < diagonal.length; i++) if (diagonal[i] > 0) count++;
    const texels = new Uint32Array(count);
    count = 0;
    for (let i = 0; i < diagonal.length; i++) if (diagonal[i] > 0) texels[count++] = i;
    const before = this.residual(values, texels);
    const n = diagonal.length;
    const delta = new Float32Array(n);
    const r = new Float32Array(n);
    const p = new Float32Array(n);
    const q = new Float32Array(n);
    const pull = new Float32Array(count);
    this.multiply(q, values, texels);
    let rz = 0;
    for (let k = 0; k < count; k++) {
      const i = texels[k];
      pull[k] = anchor(i);
      r[i] = wanted[i] - q[i];
      p[i] = r[i] / (diagonal[i] + pull[k]);
      rz += r[i] * p[i];
    }
    const enough = STOP_AT * STOP_AT * rz;
    for (let step = 0; step < MAX_STEPS && rz > enough && rz > 0; step++) {
      throwIfAborted(control);
      this.multiply(q, p, texels);
      let pq = 0;
      for (let k = 0; k < count; k++) {
        const i = texels[k];
        q[i] += pull[k] * p[i];
        pq += p[i] * q[i];
      }
      if (!(pq > 0)) break;
      const alpha = rz / pq;
      let next = 0;
      for (let k = 0; k < count; k++) {
        const i = texels[k];
        delta[i] += alpha * p[i];
        r[i] -= alpha * q[i];
        next += (r[i] * r[i]) / (diagonal[i] + pull[k]);
      }
      const beta = next / rz;
      rz = next;
      for (let k = 0; k < count; k++) {
        const i = texels[k];
        p[i] = r[i] / (diagonal[i] + pull[k]) + beta * p[i];
      }
    }
    for (let k = 0; k < count; k++) values[texels[k]] += delta[texels[k]];
    return { reads: this.reads, before, after: this.residual(values, texels) };
  }

  /** out = A x on the listed texels; texels beside the list take part with their values. */
  private multiply(out: Float32Array, x: Float32Array, texels: Uint32Array): void {
    const { W, diagonal, right, below, belowRight, belowLeft } = this;
    for (const i of texels) {
      let s = diagonal[i] * x[i];
      if (right[i] !== 0) s += right[i] * x[i + 1];
      if (below[i] !== 0) s += below[i] * x[i + W];
      if (belowRight[i] !== 0) s += belowRight[i] * x[i + W + 1];
      if (belowLeft[i] !== 0) s += belowLeft[i] * x[i + W - 1];
      if (i > 0 && right[i - 1] !== 0) s += right[i - 1] * x[i - 1];
      if (i >= W) {
        if (below[i - W] !== 0) s += below[i - W] * x[i - W];
        if (belowLeft[i - W + 1] !== 0) s += belowLeft[i - W + 1] * x[i - W + 1];
        if (i > W && belowRight[i - W - 1] !== 0) s += belowRight[i - W - 1] * x[i - W - 1];
      }
      out[i] = s;
    }
  }

  private residual(values: Float32Array, texels: Uint32Array): number {
    if (this.weights === 0) return 0;
    const q = new Float32Array(values.length);
    this.multiply(q, values, texels);
    let s = this.squares;
    for (const i of texels) s += values[i] * (q[i] - 2 * this.wanted[i]);
    return Math.sqrt(Math.max(0, s) / this.weights);
  }
}
