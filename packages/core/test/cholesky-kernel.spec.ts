import { BlockSolver, blockSystem } from '../src/unwrap/block-solve';
import { choleskyKernel } from '../src/unwrap/cholesky-kernel';
import { factorPattern } from '../src/unwrap/factor-pattern';
import { PlainCholesky } from '../src/unwrap/plain-cholesky';
import { triangulate, triangleVerts } from '../src';
import { plane, random } from './shapes';

/** A matrix on the points of a mesh, positive definite where `pull` is positive, and a right-hand side. */
function system(side: number, pull: number) {
  const mesh = plane(side);
  const triangles = triangleVerts(mesh, triangulate(mesh));
  const N = (side + 1) ** 2;
  const { matrix, places } = blockSystem(N, triangles);
  const rnd = random(3);
  for (let t = 0; t < triangles.length / 3; t++) {
    // outer product of differences along random directions: never negative
    const w = [rnd() + 0.1, rnd() - 0.5, rnd() + 0.1];
    for (const [a, b] of [[0, 1], [1, 2], [2, 0]] as const)
      for (const [i, j, s] of [[a, a, 1], [b, b, 1], [a, b, -1], [b, a, -1]] as const)
        w.forEach((x, k) => (matrix.values[3 * places[9 * t + 3 * i + j] + k] += s * (k === 1 ? 0.1 * x : x)));
  } // prettier-ignore
  for (let i = 0; i < N; i++)
    for (let n = matrix.rows[i]; n < matrix.rows[i + 1]; n++)
      if (matrix.columns[n] === i) {
        matrix.values[3 * n] += pull;
        matrix.values[3 * n + 2] += pull;
      }
  return { matrix, N, b: Float64Array.from({ length: 2 * N }, () => rnd() - 0.5) };
}

/** A x, block by block. */
function times({ rows, columns, values }: ReturnType<typeof system>['matrix'], x: Float64Array): Float64Array {
  const out = new Float64Array(x.length);
  for (let i = 0; i + 1 < rows.length; i++)
    for (let n = rows[i]; n < rows[i + 1]; n++) {
      const j = 2 * columns[n];
      out[2 * i] += values[3 * n] * x[j] + values[3 * n + 1] * x[j + 1];
      out[2 * i + 1] += values[3 * n + 1] * x[j] + values[3 * n + 2] * x[j + 1];
    }
  return out;
}

describe('solving with a factor', () => {
  const one = system(17, 0.01);

  it('gives what the matrix turns back into the right-hand side', () => {
    const x = new Float64Array(2 * one.N);
    expect(new BlockSolver(one.matrix).solve(x, one.b)).toBe(true);
    const back = times(one.matrix, x);
    expect(Math.max(...back.map((y, i) => Math.abs(y - one.b[i])))).toBeLessThan(1e-11);
  });

  it('gives bit by bit what the plain code gives, also when matrices take turns', () => {
    const two = system(9, 0.5);
    for (const { matrix, N, b } of [one, two, one]) {
      const pattern = factorPattern(matrix.rows, matrix.columns);
      const [x, y] = [new Float64Array(2 * N), new Float64Array(2 * N)];
      expect(choleskyKernel.solve(pattern, matrix, x, b)).toBe(true);
      expect(new PlainCholesky(pattern, matrix).solve(y, b)).toBe(true);
      expect(x).toEqual(y);
    }
  });

  it('refuses what is not positive definite, and solves afterwards as before', () => {
    const bad = system(17, -5);
    const x = Float64Array.from({ length: 2 * bad.N }, (_, i) => i);
    const solver = new BlockSolver(bad.matrix);
    expect(solver.solve(x, bad.b)).toBe(false);
    expect(x[5]).toBe(5);
    bad.matrix.values.set(one.matrix.values);
    const y = new Float64Array(2 * one.N);
    expect([solver.solve(x, one.b), new BlockSolver(one.matrix).solve(y, one.b)]).toEqual([true, true]);
    expect(x).toEqual(y);
  });

  it('leaves small matrices, and hosts that have no WebAssembly, to the plain code', () => {
    const small = system(3, 0.1);
    const pattern = factorPattern(small.matrix.rows, small.matrix.columns);
    expect(choleskyKernel.solve(pattern, small.matrix, new Float64Array(2 * small.N), small.b)).toBeNull();
    const host = globalThis as { WebAssembly?: unknown };
    const had = host.WebAssembly;
    delete host.WebAssembly;
    try {
      const x = new Float64Array(2 * one.N);
      expect(choleskyKernel.solve(factorPattern(one.matrix.rows, one.matrix.columns), one.matrix, x, one.b)).toBeNull();
      expect(new BlockSolver(one.matrix).solve(x, one.b)).toBe(true);
    } finally {
      host.WebAssembly = had;
    }
  });
});
