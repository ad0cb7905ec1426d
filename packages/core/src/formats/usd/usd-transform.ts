import type { Matrix } from '../../mesh/matrix';
import { determinant, IDENTITY, quaternion, scaling, times, translation } from '../../mesh/matrix';
import { InvalidInputError } from '../../runtime/errors';
import type { UsdPrim, UsdValue } from './usd-layer';
import { isNumbers, isStrings } from './usd-layer';

function turn(axis: number, degrees: number): Matrix {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  const m = [...IDENTITY];
  const [j, k] = [(axis + 1) % 3, (axis + 2) % 3];
  m[5 * j] = m[5 * k] = c;
  m[4 * j + k] = s;
  m[4 * k + j] = -s;
  return m;
}

const AXES = 'XYZ';

function operation(name: string, value: UsdValue): Matrix | null {
  const kind = name.split(':')[1] ?? '';
  const numbers = typeof value === 'number' ? [value] : isNumbers(value) ? [...value.numbers] : [];
  const needs = (n: number, make: () => Matrix): Matrix | null => (numbers.length === n ? make() : null);
  if (kind === 'translate') return needs(3, () => translation(numbers));
  if (kind === 'scale') return needs(3, () => scaling(numbers));
  if (kind === 'transform') return needs(16, () => numbers);
  if (kind === 'orient') return needs(4, () => quaternion(numbers));
  const turns = /^rotate([XYZ]{1,3})$/.exec(kind)?.[1] ?? '';
  if (turns === '') return null;
  // three turns are named in the order in which they are made, their angles in that of the axes
  return needs(turns.length, () =>
    (turns.match(/[XYZ]/g) ?? []).reduce<Matrix>(
      (m, axis, i) => times(m, turn(AXES.indexOf(axis), numbers[turns.length === 1 ? i : AXES.indexOf(axis)])),
      IDENTITY,
    ),
  );
}

/** The inverse of a matrix that keeps the last column (0, 0, 0, 1). */
function inverse(m: Matrix): Matrix | null {
  const d = determinant(m);
  if (!(Math.abs(d) > 0)) return null;
  const cofactor = (a: number, b: number, c: number, e: number): number => (m[a] * m[b] - m[c] * m[e]) / d;
  const r = [
    cofactor(5, 10, 6, 9), cofactor(2, 9, 1, 10), cofactor(1, 6, 2, 5),
    cofactor(6, 8, 4, 10), cofactor(0, 10, 2, 8), cofactor(2, 4, 0, 6),
    cofactor(4, 9, 5, 8), cofactor(1, 8, 0, 9), cofactor(0, 5, 1, 4),
  ]; // prettier-ignore
  const [x, y, z] = [0, 1, 2].map((k) => -(m[12] * r[k] + m[13] * r[3 + k] + m[14] * r[6 + k]));
  return [r[0], r[1], r[2], 0, r[3], r[4], r[5], 0, r[6], r[7], r[8], 0, x, y, z, 1];
}

/** What a prim does to points under it: its operations in their order, the last one first. `resets` where it leaves its parents' out.
 *  @throws InvalidInputError UNSUPPORTED naming an operation that is not known */
export function localTransform(prim: UsdPrim): { matrix: Matrix; resets: boolean } {
  const order = prim.properties.get('xformOpOrder')?.value;
  let matrix = IDENTITY;
  let resets = false;
  for (const entry of isStrings(order) ? order : []) {
    if (entry === '!resetXformStack!') {
      matrix = IDENTITY;
      resets = true;
      continue;
    }
    const name = entry.replace(/^!invert!/, '');
    const made = operation(name, prim.properties.get(name)?.value ?? null);
    const op = made !== null && name !== entry ? inverse(made) : made;
    if (op?.every(Number.isFinite) !== true)
      throw new InvalidInputError('UNSUPPORTED', `the transform ${entry} of ${prim.name} cannot be read; apply transforms before writing.`);
    matrix = times(op, matrix);
  }
  return { matrix, resets };
}
