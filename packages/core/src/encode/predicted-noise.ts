import type { Field } from '../raster/field';
import { INSIDE } from '../raster/field';

/** Correlation of the rounding errors of two values that lie `d` apart, for a uniform quantiser with that step and any phase:
 *  the autocorrelation of a sawtooth, 1 - 6 x (1 - x) with x the fractional part of |d| / step (Widrow and Kollar 2008, ch. 19). */
function roundingCorrelation(d: number, step: number): number {
  const steps = Math.abs(d) / step;
  const x = steps - Math.floor(steps);
  return 1 - 6 * x * (1 - x);
}

export interface PredictedNoise {
  /** RMS of rounding in bilinear reads at arbitrary places: k step / sqrt(12). Scene units along the displacement. */
  readonly reads: number;
  /** k: 2/3 where neighbouring texels round independently, 1 where they round alike. */
  readonly k: number;
  /** The same as a proof sees it, half of whose weight lies midway between two reads `spacing` texels apart. */
  readonly proof: number;
}

/** What integer rounding will add to a bilinearly read map, from the field alone, before anything is proven.
 *
 *  A bilinear read at a random place mixes four texels; the expected products of its weights are 1/9 with itself, 1/18 with a neighbour in
 *  row or column, 1/36 across. With the correlations above, k^2 = 4/9 + 2/9 rx + 2/9 ry + 1/9 rd.
 *  @param spacing texels between neighbouring points of the proof's mesh */
export function predictNoise({ values: d, coverage, width: W, height: H }: Field, step: number, spacing: number): PredictedNoise {
  const far = Math.max(1, Math.round(spacing));
  let sum = 0;
  let between = 0;
  let n = 0;
  for (let y = 0; y + far < H; y++)
    for (let x = 0; x + far < W; x++) {
      const i = y * W + x;
      const j = i + far * W + far;
      if (coverage[i] !== INSIDE || coverage[i + 1] !== INSIDE || coverage[i + W] !== INSIDE || coverage[j] !== INSIDE) continue;
      const rx = roundingCorrelation(d[i + 1] - d[i], step);
      const ry = roundingCorrelation(d[i + W] - d[i], step);
      const rd = roundingCorrelation(d[i + W + 1] - d[i], step);
      const k2 = 4 / 9 + (2 / 9) * (rx + ry) + rd / 9;
      sum += k2;
      between += (k2 * (1 + roundingCorrelation(d[j] - d[i], step))) / 2;
      n++;
    }
  if (n === 0) return { reads: 0, k: 1, proof: 0 };
  const sigma = step / Math.sqrt(12);
  return { reads: sigma * Math.sqrt(sum / n), k: Math.sqrt(sum / n), proof: sigma * Math.sqrt((sum + between) / (2 * n)) };
}
