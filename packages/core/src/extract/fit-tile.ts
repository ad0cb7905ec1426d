import { angleBetween } from '../encode/encode-normals';
import type { Field } from '../raster/field';
import { isMeasured, MENDED } from '../raster/field';
import type { MapKind, MapKindTraits } from '../raster/map-kinds';
import { MAP_KINDS } from '../raster/map-kinds';
import { bilinearTexels, readTexels } from '../raster/sample';
import type { RunControl } from '../runtime/progress';
import type { FitGain, WantedReads } from './bilinear-fit';
import { BilinearFit } from './bilinear-fit';
import type { SeamReads } from './measure-seams';

/** Pull towards the measured value, in weights of reads: measured texels give way less than padding. A read's error can move a texel
 *  by sqrt(SEAM_WEIGHT reads / pull) / 2 times itself at most: about three times, and ten times in the padding. */
const MEASURED_PULL = 0.25;
const FREE_PULL = 0.02;
/** With reads all over the tile the fit needs hardly any pull. */
const FITTED_PULL = 0.02;
/** Rounds of fitting directions: the length of a read changes with the texels; more rounds change nothing. */
const DIRECTION_ROUNDS = 4;
/** Largest weight of a direction. Held as strongly as places are, unit vectors that lie 1.5 texels apart were thrown about: on the bell at 256
 *  texels its reads came out 1.2 times as far off as they were measured, with this weight a seventeenth. */
const DIRECTION_WEIGHT = 400;

/** Reads along seams with the values of one map. */
export type SeamValues = Pick<SeamReads, 'uvs' | 'weights' | 'places'> & { readonly values: Float32Array };

/** What a field should read: along the seams, and at its samples where all texels are fitted. */
export interface TileReads {
  readonly seams: readonly SeamValues[];
  /** Values of n x n samples a texel, channels interleaved, NaN where there is none. */
  readonly samples: { readonly n: number; readonly values: Float32Array } | null;
  /** Whether the same numbers mean the same on both sides of a seam; not so for directions in frames of their own. */
  readonly sidesAlike: boolean;
}

/** Changes texels so that bilinear reads, not texel centres, give the measured values.
 *
 *  Along a seam both sides are fitted to what was measured at each seam point, each in its own frame: so they agree with each other and with
 *  the sculpt, also when they lie in different tiles, and each tile is fitted alone. Normals are fitted by direction: a read is normalised
 *  before it is used, so its length is free, and texels stay unit vectors. Where the seam's own search found nothing, both sides in
 *  one tile are led to the middle between them, so that what was filled does not crack.
 *  @param field at least two texels wide and high; padded */
export function fitFieldInPlace(field: Field, kind: MapKind, reads: TileReads, control?: RunControl): FitGain {
  const { width: W, height: H, channels, values, coverage } = field;
  const filled = reads.sidesAlike ? { ...reads, seams: reads.seams.map((s) => withUnanswered(field, s)) } : reads;
  const { quantity, bounds }: MapKindTraits = MAP_KINDS[kind];
  const directions = quantity === 'direction';
  const wanted = wantedReads(field, filled, directions ? DIRECTION_WEIGHT : Infinity);
  const fit = new BilinearFit(W, H, wanted);
  const pull = (i: number): number => (reads.samples !== null ? FITTED_PULL : isMeasured(coverage[i]) ? MEASURED_PULL : FREE_PULL);
  if (directions) {
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
  boundInPlace(values, channels, fit.texels, bounds);
  return { reads: before.reads, before: before.rms, after: fit.residual(values, channels).rms };
}

/** The reads with values for places that have none, or beside texels that were mended (they took another layer than the seam's own search finds):
 *  the mean of what the sides read now; none where only one side lies in this tile. */
function withUnanswered({ width: W, height: H, channels, values: texels, coverage }: Field, reads: SeamValues): SeamValues {
  const { uvs, places, values } = reads;
  const mended = coverage.includes(MENDED);
  const besideMended = (r: number): boolean => {
    const { i } = bilinearTexels(W, H, uvs[2 * r], uvs[2 * r + 1]);
    return [i, i + 1, i + W, i + W + 1].some((t) => coverage[t] === MENDED);
  };
  const read = new Float64Array(channels);
  const mean = new Float64Array(channels);
  let out: Float32Array | null = null;
  for (let from = 0; from < places.length;) {
    let to = from + 1;
    while (to < places.length && places[to] === places[from]) to++;
    let open = Number.isNaN(values[channels * from]);
    for (let r = from; mended && !open && r < to; r++) open = besideMended(r);
    if (open && to - from > 1) {
      out ??= values.slice();
      mean.fill(0);
      for (let r = from; r < to; r++) {
        readTexels(read, texels, W, bilinearTexels(W, H, uvs[2 * r], uvs[2 * r + 1]));
        for (let k = 0; k < channels; k++) mean[k] += read[k] / (to - from);
      }
      for (let r = from; r < to; r++) out.set(mean, channels * r);
    }
    from = to;
  }
  return out === null ? reads : { ...reads, values: out };
}

function wantedReads({ width: W, height: H, channels }: Field, { seams, samples }: TileReads, mostWeight: number): WantedReads {
  return {
    each(visit) {
      const one = new Float64Array(channels);
      for (const { uvs, weights, values } of seams)
        for (let r = 0; r < weights.length; r++) {
          if (Number.isNaN(values[channels * r])) continue;
          for (let k = 0; k < channels; k++) one[k] = values[channels * r + k];
          visit(uvs[2 * r], uvs[2 * r + 1], Math.min(mostWeight, weights[r]), one);
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

/** Squared angle between a read's direction and a unit vector, degrees. */
const turnedSquared = (read: Float64Array, wanted: ArrayLike<number>): number => angleBetween(read, wanted[0], wanted[1], wanted[2]) ** 2;

function normaliseInPlace(values: Float32Array, texels: Uint32Array): void {
  for (const texel of texels) {
    const i = 3 * texel;
    const length = Math.hypot(values[i], values[i + 1], values[i + 2]);
    if (length > 0) for (let k = 0; k < 3; k++) values[i + k] /= length;
  }
}

/** Keeps values to what their kind can be. */
function boundInPlace(values: Float32Array, channels: number, texels: Uint32Array, [lowest, highest]: MapKindTraits['bounds']): void {
  if (lowest === -Infinity && highest === Infinity) return;
  for (const texel of texels)
    for (let i = channels * texel; i < channels * (texel + 1); i++) values[i] = Math.min(highest, Math.max(lowest, values[i]));
}
