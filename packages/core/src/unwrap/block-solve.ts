/** A symmetric positive definite matrix of 2 x 2 blocks on the points of a triangle mesh: rows hold the diagonal and the neighbours. */
export interface BlockMatrix {
  readonly rows: Uint32Array; // N + 1
  readonly columns: Uint32Array; // ascending within a row
  /** Three numbers a block, itself symmetric: uu, uv, vv. */
  readonly values: Float64Array;
}

/** The places of a triangle mesh's blocks, all zero, and where each triangle's nine blocks stand. */
export function blockMatrix(points: number, triangles: Uint32Array): { matrix: BlockMatrix; places: Uint32Array } {
  const lists: number[][] = Array.from({ length: points }, (_, i) => [i]);
  for (let t = 0; t < triangles.length; t += 3)
    for (let a = 0; a < 3; a++) for (let b = 0; b < 3; b++) if (a !== b) lists[triangles[t + a]].push(triangles[t + b]);
  const rows = new Uint32Array(points + 1);
  lists.forEach((list, i) => {
    lists[i] = [...new Set(list)].sort((x, y) => x - y);
    rows[i + 1] = rows[i] + lists[i].length;
  });
  const columns = Uint32Array.from(lists.flat());
  const places = new Uint32Array(3 * triangles.length);
  for (let t = 0; t < triangles.length; t += 3)
    for (let a = 0; a < 3; a++)
      for (let b = 0; b < 3; b++) {
        let k = rows[triangles[t + a]];
        while (columns[k] !== triangles[t + b]) k++;
        places[3 * t + 3 * a + b] = k;
      }
  return { matrix: { rows, columns, values: new Float64Array(3 * columns.length) }, places };
}

/** Conjugate gradients, preconditioned by the inverse diagonal blocks (Saad, Iterative Methods for Sparse Linear Systems, 2003, 9.2).
 *  @param x    float64[2 N], the first guess; overwritten with the answer
 *  @param b    float64[2 N], kept
 *  @param held uint8[N], 1 where the value given in `x` stays
 *  @param tolerance the residual's norm over the first one's */
export function solveBlocks(
  { rows, columns, values }: BlockMatrix,
  x: Float64Array,
  b: Float64Array,
  held: Uint8Array | null,
  tolerance: number,
  mostSteps: number,
): void {
  const N = rows.length - 1;
  const inverse = new Float64Array(3 * N);
  for (let i = 0; i < N; i++)
    for (let k = rows[i]; k < rows[i + 1]; k++)
      if (columns[k] === i) {
        const [uu, uv, vv] = [values[3 * k], values[3 * k + 1], values[3 * k + 2]];
        const det = uu * vv - uv * uv;
        if (!(det > 0)) continue;
        inverse[3 * i] = vv / det;
        inverse[3 * i + 1] = -uv / det;
        inverse[3 * i + 2] = uu / det;
      }
  const times = (out: Float64Array, v: Float64Array): void => {
    for (let i = 0; i < N; i++) {
      let [su, sv] = [0, 0];
      if (held?.[i] !== 1)
        for (let k = rows[i]; k < rows[i + 1]; k++) {
          const j = 2 * columns[k];
          su += values[3 * k] * v[j] + values[3 * k + 1] * v[j + 1];
          sv += values[3 * k + 1] * v[j] + values[3 * k + 2] * v[j + 1];
        }
      out[2 * i] = su;
      out[2 * i + 1] = sv;
    }
  };
  const r = new Float64Array(2 * N);
  const z = new Float64Array(2 * N);
  const q = new Float64Array(2 * N);
  times(q, x);
  for (let i = 0; i < N; i++)
    if (held?.[i] !== 1) {
      r[2 * i] = b[2 * i] - q[2 * i];
      r[2 * i + 1] = b[2 * i + 1] - q[2 * i + 1];
    }
  const precondition = (): number => {
    let dot = 0;
    for (let i = 0; i < N; i++) {
      const [u, v] = [r[2 * i], r[2 * i + 1]];
      z[2 * i] = inverse[3 * i] * u + inverse[3 * i + 1] * v;
      z[2 * i + 1] = inverse[3 * i + 1] * u + inverse[3 * i + 2] * v;
      dot += u * z[2 * i] + v * z[2 * i + 1];
    }
    return dot;
  };
  let rz = precondition();
  const enough = rz * tolerance * tolerance;
  const d = z.slice();
  for (let step = 0; step < mostSteps && rz > enough; step++) {
    times(q, d);
    let dq = 0;
    for (let i = 0; i < 2 * N; i++) dq += d[i] * q[i];
    if (!(dq > 0)) return;
    const alpha = rz / dq;
    for (let i = 0; i < 2 * N; i++) {
      x[i] += alpha * d[i];
      r[i] -= alpha * q[i];
    }
    const before = rz;
    rz = precondition();
    const beta = rz / before;
    for (let i = 0; i < 2 * N; i++) d[i] = z[i] + beta * d[i];
  }
}
