import type { Neighbours } from '../mesh/neighbours';

const MOST_SWEEPS = 200;
/** Sweeps end where nothing moves by more than this share of the largest value. */
const STILL = 1e-4;
/** Over-relaxation: faster than plain Gauss-Seidel, and still sure to come to rest (Young 1954). */
const OVER = 1.6;

/** Fills values at points that have none with the mean of their neighbours', over and over (harmonic); points that no known one is connected
 *  with stay as they are.
 *  @param values K a point; changed  @param known 1 where a value stands  @returns points that no known one is connected with */
export function fillHarmonic(values: Float32Array, K: number, known: Uint8Array, { start, points }: Neighbours): number {
  const P = known.length;
  // outwards from what is known, each first the mean of those before it
  const order: number[] = [];
  const reached = known.slice();
  let front: number[] = [];
  for (let v = 0; v < P; v++) if (known[v] === 1) for (let i = start[v]; i < start[v + 1]; i++) front.push(points[i]);
  while (front.length > 0) {
    const ring = [...new Set(front)].filter((v) => reached[v] === 0);
    front = [];
    for (const v of ring) {
      average(v);
      order.push(v);
    }
    for (const v of ring) reached[v] = 1;
    for (const v of ring) for (let i = start[v]; i < start[v + 1]; i++) if (reached[points[i]] === 0) front.push(points[i]);
  }
  let largest = 0;
  for (let v = 0; v < P; v++) if (reached[v] === 1) for (let k = 0; k < K; k++) largest = Math.max(largest, Math.abs(values[K * v + k]));
  for (let sweep = 0; sweep < MOST_SWEEPS && order.length > 0; sweep++) {
    let moved = 0;
    for (const v of order) {
      const n = start[v + 1] - start[v];
      for (let k = 0; k < K; k++) {
        let sum = 0;
        for (let i = start[v]; i < start[v + 1]; i++) sum += values[K * points[i] + k];
        const by = OVER * (sum / n - values[K * v + k]);
        values[K * v + k] += by;
        moved = Math.max(moved, Math.abs(by));
      }
    }
    if (moved <= STILL * largest) break;
  }
  return reached.reduce((n, r) => n + Number(r === 0), 0);

  function average(v: number): void {
    let n = 0;
    for (let k = 0; k < K; k++) values[K * v + k] = 0;
    for (let i = start[v]; i < start[v + 1]; i++) {
      if (reached[points[i]] === 0) continue;
      n++;
      for (let k = 0; k < K; k++) values[K * v + k] += values[K * points[i] + k];
    }
    for (let k = 0; k < K; k++) values[K * v + k] /= Math.max(1, n);
  }
}
