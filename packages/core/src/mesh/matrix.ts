/** A 4 x 4 matrix by rows, for points as rows: p M. The sixteen numbers of a glTF matrix and of one of USD stand in this order. */
export type Matrix = readonly number[];
export const IDENTITY: Matrix = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

export const isIdentity = (m: Matrix): boolean => m.every((x, i) => x === IDENTITY[i]);

/** First a, then b. */
export function times(a: Matrix, b: Matrix): Matrix {
  return Array.from({ length: 16 }, (_, i) => {
    const row = i & ~3;
    const column = i & 3;
    return a[row] * b[column] + a[row + 1] * b[4 + column] + a[row + 2] * b[8 + column] + a[row + 3] * b[12 + column];
  });
}

/** Determinant of the part that turns and scales: below 0 where it mirrors. */
export const determinant = (m: Matrix): number =>
  m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8]);

export const translation = ([x, y, z]: readonly number[]): Matrix => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
export const scaling = ([x, y, z]: readonly number[]): Matrix => [x, 0, 0, 0, 0, y, 0, 0, 0, 0, z, 0, 0, 0, 0, 1];

/** A turn. @param q w, x, y, z; of any length */
export function quaternion([w, x, y, z]: readonly number[]): Matrix {
  const n = 2 / (w * w + x * x + y * y + z * z || 1);
  return [
    1 - n * (y * y + z * z), n * (x * y + z * w), n * (x * z - y * w), 0,
    n * (x * y - z * w), 1 - n * (x * x + z * z), n * (y * z + x * w), 0,
    n * (x * z + y * w), n * (y * z - x * w), 1 - n * (x * x + y * y), 0,
    0, 0, 0, 1,
  ]; // prettier-ignore
}

/** Turns packed normals with the cofactors of a matrix, to length 1; a matrix that mirrors leaves them on the side of the surface on which they are.
 *  @param normals 3 N */
export function turnedNormals(normals: ArrayLike<number>, m: Matrix): Float32Array {
  const out = new Float32Array(normals.length);
  const side = determinant(m) < 0 ? -1 : 1;
  const cof = (a: number, b: number, c: number, d: number): number => m[a] * m[b] - m[c] * m[d];
  const n = [cof(5, 10, 6, 9), cof(6, 8, 4, 10), cof(4, 9, 5, 8), cof(2, 9, 1, 10), cof(0, 10, 2, 8), cof(1, 8, 0, 9), cof(1, 6, 2, 5), cof(2, 4, 0, 6), cof(0, 5, 1, 4)]; // prettier-ignore
  for (let i = 0; i < out.length; i += 3) {
    const [x, y, z] = [normals[i], normals[i + 1], normals[i + 2]];
    const [p, q, r] = [x * n[0] + y * n[3] + z * n[6], x * n[1] + y * n[4] + z * n[7], x * n[2] + y * n[5] + z * n[8]];
    const length = side * Math.hypot(p, q, r) || 1;
    out[i] = p / length;
    out[i + 1] = q / length;
    out[i + 2] = r / length;
  }
  return out;
}
