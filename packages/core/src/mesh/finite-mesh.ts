import { InvalidInputError } from '../runtime/errors';
import { boundsOf, boxDiagonal } from './bounds';
import type { PolyMesh } from './poly-mesh';

/** Largest diagonal, in scene units: squares of areas beyond it are more than single precision holds. */
const LARGEST = 1e15;

/** Every number of a mesh is one, and its size can be computed with. @throws InvalidInputError BAD_NUMBER naming the point */
export function requireFinite(mesh: PolyMesh): void {
  firstBad(mesh.positions, 3, 'point');
  firstBad(mesh.uvs, 2, 'texture coordinate');
  firstBad(mesh.normals, 3, 'normal');
  firstBad(mesh.colors, 3, 'colour');
  const diagonal = boxDiagonal(boundsOf(mesh.positions));
  if (diagonal > LARGEST || mesh.origin.some((x) => Math.abs(x) > LARGEST))
    throw new InvalidInputError('BAD_NUMBER', `this mesh reaches over ${diagonal.toPrecision(2)} units, more than can be computed with; scale it down or mend its transforms.`); // prettier-ignore
}

function firstBad(values: Float32Array | null, width: number, what: string): void {
  if (values === null) return;
  for (let i = 0; i < values.length; i++)
    if (!Number.isFinite(values[i]))
      throw new InvalidInputError('BAD_NUMBER', `${what} ${Math.floor(i / width)} of this mesh is not finite; mend its transforms or write it again.`); // prettier-ignore
}
