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

/** Values, and how much each counts. */
export interface Weighted {
  readonly values: Float32Array;
  readonly weights: Float64Array;
}

/** Quantiles of |values| pooled from several sets, each set's weights scaled to the same sum. Linear: a histogram, refined twice
 *  inside the bin that holds the answer, so it is exact to 1 in 7 x 10^10 of the largest value. */
export function pooledQuantiles(sets: readonly Weighted[], quantiles: readonly number[]): number[] {
  const used = sets.map((set) => ({ ...set, ...sumAndLargest(set) })).filter((s) => s.total > 0);
  const largest = used.reduce((m, s) => Math.max(m, s.largest), 0);
  if (largest === 0) return quantiles.map(() => 0);
  const histogram = (lo: number, hi: number): Float64Array => {
    const bins = new Float64Array(BINS);
    const scale = BINS / (hi - lo);
    for (const { values, weights, total } of used)
      for (let i = 0; i < values.length; i++) {
        const x = Math.abs(values[i]);
        if (x >= lo && x < hi) bins[Math.min(BINS - 1, Math.floor((x - lo) * scale))] += weights[i] / total / used.length;
      }
    return bins;
  };
  const end = largest * (1 + 1e-12);
  const all = histogram(0, end);
  return quantiles.map((q) => {
    let [lo, hi, below] = [0, end, 0];
    for (let pass = 0; pass < 3; pass++) {
      const bins = pass === 0 ? all : histogram(lo, hi);
      let k = 0;
      while (k < BINS - 1 && below + bins[k] < q) below += bins[k++];
      const width = (hi - lo) / BINS;
      lo += k * width;
      hi = lo + width;
    }
    return (lo + hi) / 2;
  });
}

/** One of them. */
export const pooledQuantile = (sets: readonly Weighted[], q: number): number => pooledQuantiles(sets, [q])[0];

function sumAndLargest({ values, weights }: Weighted): { readonly total: number; readonly largest: number } {
  let total = 0;
  let largest = 0;
  for (let i = 0; i < weights.length; i++) total += weights[i];
  for (let i = 0; i < values.length; i++) if (Math.abs(values[i]) > largest) largest = Math.abs(values[i]);
  return { total, largest };
}
