import { choleskyKernel } from './cholesky-kernel';
import type { FactorPattern } from './factor-pattern';
import { factorPattern } from './factor-pattern';
import { PlainCholesky } from './plain-cholesky';

/** A symmetric positive definite matrix of 2 x 2 blocks on the points of a triangle mesh: rows hold the diagonal and the neighbours. */
export interface BlockMatrix {
  readonly rows: Uint32Array; // N + 1
  readonly columns: Uint32Array; // ascending within a row
  /** Three numbers a block, itself symmetric: uu, uv, vv. */
  readonly values: Float64Array;
}

/** A triangle mesh's matrix, all zero, where each triangle's nine blocks stand in it, and what solves with it. */
export interface BlockSystem {
  readonly matrix: BlockMatrix;
  readonly places: Uint32Array; // 9 T
  readonly solver: BlockSolver;
}

export function blockSystem(points: number, triangles: Uint32Array): BlockSystem {
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
  const matrix: BlockMatrix = { rows, columns, values: new Float64Array(3 * columns.length) };
  return { matrix, places, solver: new BlockSolver(matrix) };
}

/** Solves with matrices of one pattern, by a factor of Cholesky's kind: in WebAssembly where the host can, by plain code where not. */
export class BlockSolver {
  private readonly pattern: FactorPattern;
  private plain: PlainCholesky | null = null;

  constructor(private readonly matrix: BlockMatrix) {
    this.pattern = factorPattern(matrix.rows, matrix.columns);
  }

  /** Overwrites `x` with the answer for the right-hand side `b`, both float64[2 N].
   *  @returns false, `x` untouched, where the matrix is not positive definite */
  solve(x: Float64Array, b: Float64Array): boolean {
    const done = choleskyKernel.solve(this.pattern, this.matrix, x, b);
    if (done !== null) return done;
    this.plain ??= new PlainCholesky(this.pattern, this.matrix);
    return this.plain.solve(x, b);
  }
}
