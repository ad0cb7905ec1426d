/** Weighted figures of unsigned distances. */
export interface Figures {
  readonly mean: number;
  readonly rms: number;
  readonly max: number;
}

/** Mean, RMS and largest of |values| under weights; zeros when the weights sum to nothing. */
export function weightedFigures(values: Float32Array, weights: Float64Array): Figures {
  let w = 0;
  let sum = 0;
  let squares = 0;
  let max = 0;
  for (let i = 0; i < values.length; i++) {
    const x = Math.abs(values[i]);
    w += weights[i];
    sum += weights[i] * x;
    squares += weights[i] * x * x;
    if (x > max) max = x;
  }
  return w === 0 ? { mean: 0, rms: 0, max } : { mean: sum / w, rms: Math.sqrt(squares / w), max };
}

const BINS = 4096;

/** Quantile of |values| pooled from several sets, each set's weights scaled to the same sum. Linear: a histogram, refined twice
 *  inside the bin that holds the answer, so it is exact to 1 in 7 x 10^10 of the largest value. */
export function pooledQuantile(sets: readonly { readonly values: Float32Array; readonly weights: Float64Array }[], q: number): number {
  const used = sets
    .map(({ values, weights }) => ({ values, weights, total: weights.reduce((s, w) => s + w, 0) }))
    .filter((s) => s.total > 0);
  if (used.length === 0) return 0;
  let lo = 0;
  let hi = used.reduce((m, { values }) => values.reduce((x, v) => Math.max(x, Math.abs(v)), m), 0);
  if (hi === 0) return 0;
  hi *= 1 + 1e-12;
  let below = 0;
  for (let pass = 0; pass < 3; pass++) {
    const bins = new Float64Array(BINS);
    const scale = BINS / (hi - lo);
    for (const { values, weights, total } of used)
      for (let i = 0; i < values.length; i++) {
        const x = Math.abs(values[i]);
        if (x >= lo && x < hi) bins[Math.min(BINS - 1, Math.floor((x - lo) * scale))] += weights[i] / total / used.length;
      }
    let k = 0;
    while (k < BINS - 1 && below + bins[k] < q) below += bins[k++];
    const width = (hi - lo) / BINS;
    lo += k * width;
    hi = lo + width;
  }
  return (lo + hi) / 2;
}
