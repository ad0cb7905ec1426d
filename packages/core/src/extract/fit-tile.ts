import type { Field } from '../raster/field';
import { isMeasured, MENDED } from '../raster/field';
import { bilinearTexels } from '../raster/sample';
import type { RunControl } from '../runtime/progress';
import type { FitGain, WantedReads } from './bilinear-fit';
import { BilinearFit } from './bilinear-fit';
import type { MeasuredKind } from './extract-options';
import type { SeamReads } from './measure-seams';

/** Pull towards the measured value, in weights of reads: measured texels give way less than padding. A read's error can move a texel
 *  by sqrt(SEAM_WEIGHT reads / pull) / 2 times itself at most: about three times, and ten times in the padding. */
const MEASURED_PULL = 0.25;
const FREE_PULL = 0.02;
/** With reads all over the tile the fit needs hardly any pull. */
const FITTED_PULL = 0.02;
/** Rounds of fitting directions: the length of a read changes with the texels, and two rounds leave nothing that a third would change. */
const DIRECTION_ROUNDS = 3;

/** What a field should read: along the seams, and at its samples where all texels are fitted. */
export interface TileReads {
  readonly seams: readonly (Pick<SeamReads, 'uvs' | 'weights'> & { readonly values: Float32Array })[];
  /** Values of n x n samples a texel, channels interleaved, NaN where there is none. */
  readonly samples: { readonly n: number; readonly values: Float32Array } | null;
}

/** Changes texels so that bilinear reads, not texel centres, give the measured values.
 *
 *  Along a seam both sides are fitted to what was measured at each seam point, each in its own frame: so they agree with each other and with
 *  the sculpt, also when they lie in different tiles, and each tile is fitted alone. Normals are fitted by direction: a read is normalised
 *  before it is used, so its length is free, and texels stay unit vectors.
 *  @param field at least two texels wide and high; padded */
export function fitFieldInPlace(field: Field, kind: MeasuredKind, reads: TileReads, control?: RunControl): FitGain {
  const { width: W, height: H, channels, values, coverage } = field;
  const wanted = wantedReads(field, reads);
  const fit = new BilinearFit(W, H, wanted);
  const pull = (i: number): number => (reads.samples !== null ? FITTED_PULL : isMeasured(coverage[i]) ? MEASURED_PULL : FREE_PULL);
  if (kind === 'normal') {
    const before = fit.residual(values, channels, turnedSquared);
    if (before.reads === 0) return { reads: 0, before: 0, after: 0 };
    for (let round = 0; round < DIRECTION_ROUNDS; round++) {
      fit.solveInPlace(values, channels, pull, control, stretchWanted);
      normaliseInPlace(values, fit.texels);
    }
    return { reads: before.reads, before: before.rms, after: fit.residual(values, channels, turnedSquared).rms };
  }
  const before = fit.residual(values, channels);
  fit.solveInPlace(values, channels, pull, control);
  boundInPlace(values, kind);
  return { reads: before.reads, before: before.rms, after: fit.residual(values, channels).rms };
}

function wantedReads({ width: W, height: H, channels, coverage }: Field, { seams, samples }: TileReads): WantedReads {
  // a patch that was mended took another layer than the seam's own search finds
  const mended = coverage.includes(MENDED);
  const touchesMended = (u: number, v: number): boolean => {
    const { i } = bilinearTexels(W, H, u, v);
    return [i, i + 1, i + W, i + W + 1].some((t) => coverage[t] === MENDED);
  };
  return {
    each(visit) {
      const one = new Float64Array(channels);
      for (const { uvs, weights, values } of seams)
        for (let r = 0; r < weights.length; r++) {
          if (Number.isNaN(values[channels * r]) || (mended && touchesMended(uvs[2 * r], uvs[2 * r + 1]))) continue;
          for (let k = 0; k < channels; k++) one[k] = values[channels * r + k];
          visit(uvs[2 * r], uvs[2 * r + 1], weights[r], one);
        }
      if (samples === null) return;
      const { n, values } = samples;
      for (let row = 0, s = 0; row < n * H; row++)
        for (let column = 0; column < n * W; column++, s++) {
          if (Number.isNaN(values[channels * s])) continue;
          for (let k = 0; k < channels; k++) one[k] = values[channels * s + k];
          visit((column + 0.5) / (n * W), 1 - (row + 0.5) / (n * H), 1, one);
        }
    },
  };
}

/** The wanted direction as long as the read is now. */
function stretchWanted(read: Float64Array, wanted: Float64Array): void {
  const length = Math.hypot(read[0], read[1], read[2]);
  for (let k = 0; k < 3; k++) wanted[k] *= length;
}

/** Squared distance of the read's direction from a unit vector. */
function turnedSquared(read: Float64Array, wanted: ArrayLike<number>): number {
  const length = Math.hypot(read[0], read[1], read[2]) || 1;
  return (read[0] / length - wanted[0]) ** 2 + (read[1] / length - wanted[1]) ** 2 + (read[2] / length - wanted[2]) ** 2;
}

function normaliseInPlace(values: Float32Array, texels: Uint32Array): void {
  for (const texel of texels) {
    const i = 3 * texel;
    const length = Math.hypot(values[i], values[i + 1], values[i + 2]);
    if (length > 0) for (let k = 0; k < 3; k++) values[i + k] /= length;
  }
}

/** Openness lies between 0 and 1; hollows and colours are not negative. */
function boundInPlace(values: Float32Array, kind: MeasuredKind): void {
  if (kind !== 'occlusion' && kind !== 'hollows' && kind !== 'colour') return;
  const top = kind === 'occlusion' ? 1 : Infinity;
  for (let i = 0; i < values.length; i++) values[i] = Math.min(top, Math.max(0, values[i]));
}
