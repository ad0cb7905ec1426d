import type { PolyMesh } from '../src';
import { levelZero, refineOnce } from '../src/subdivision/refine';
import { meshOf } from './shapes';

/** Blocks with fingers, rounded by refinement. */
export function blockHand(levels: number): PolyMesh {
  const full = new Set<string>();
  const put = (x0: number, x1: number, y0: number, y1: number): void => {
    for (let x = x0; x < x1; x++) for (let y = y0; y < y1; y++) full.add(`${x} ${y} 0`);
  };
  put(0, 7, 0, 6);
  [9, 10, 10, 9].forEach((tip, i) => put(2 * i, 2 * i + 1, 6, tip));
  put(7, 10, 2, 3);
  put(2, 5, -2, 0);
  const index = new Map<string, number>();
  const points: number[][] = [];
  const faces: number[][] = [];
  const at = (p: readonly number[]): number => {
    const key = p.join(' ');
    if (!index.has(key)) index.set(key, points.push([...p]) - 1);
    return index.get(key) as number;
  };
  for (const key of full) {
    const cell = key.split(' ').map(Number);
    for (let axis = 0; axis < 3; axis++)
      for (const step of [1, -1]) {
        const beside = [...cell];
        beside[axis] += step;
        if (full.has(beside.join(' '))) continue;
        const quad = [[0, 0], [1, 0], [1, 1], [0, 1]].map(([i, j]) => {
          const p = [...cell];
          if (step > 0) p[axis]++;
          p[(axis + 1) % 3] += i;
          p[(axis + 2) % 3] += j;
          return at(p);
        }); // prettier-ignore
        faces.push(step > 0 ? quad : quad.reverse());
      }
  }
  let level = levelZero(meshOf(points, faces));
  for (let k = 0; k < levels; k++) level = refineOnce(level);
  return level.mesh;
}
