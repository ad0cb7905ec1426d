import { boundsOf, boxDiagonal } from './bounds';
import type { PolyMesh } from './poly-mesh';

/** A mesh farther from zero than this many diagonals is stored around an origin of its own. Nearer, single precision loses at most four bits. */
const FAR_DIAGONALS = 8;

/** Where the points of a mesh are counted from: zero for what stands near it; else, axis by axis, the middle of its box, rounded to a power of
 *  two of its size, so that meshes that belong together mostly get the same one. A file that was written and read again gets the same.
 *  @param points 3 P, as they stand in the file */
export function localOriginOf(points: Float64Array | Float32Array): PolyMesh['origin'] {
  const box = boundsOf(points);
  const diagonal = boxDiagonal(box);
  if (!(diagonal > 0 && Number.isFinite(diagonal))) return [0, 0, 0];
  const step = 2 ** Math.ceil(Math.log2(diagonal));
  const of = (k: number): number => {
    const middle = (box[k] + box[k + 3]) / 2;
    return Math.abs(middle) <= FAR_DIAGONALS * diagonal ? 0 : Math.round(middle / step) * step;
  };
  return [of(0), of(1), of(2)];
}

/** Points counted from an origin, rounded to single precision there. */
export function aroundOrigin(points: Float64Array | Float32Array, origin: PolyMesh['origin']): Float32Array {
  const out = new Float32Array(points.length);
  for (let i = 0; i < out.length; i++) out[i] = points[i] - origin[i % 3];
  return out;
}

/** The mesh counted from the origin of another: itself where both have the same. Everything that takes two meshes brings them together so. */
export function withOriginOf(mesh: PolyMesh, { origin }: Pick<PolyMesh, 'origin'>): PolyMesh {
  const by = [0, 1, 2].map((k) => mesh.origin[k] - origin[k]);
  if (by.every((d) => d === 0)) return mesh;
  const positions = new Float32Array(mesh.positions.length);
  for (let i = 0; i < positions.length; i++) positions[i] = mesh.positions[i] + by[i % 3];
  return { ...mesh, positions, origin };
}
