import type { PolyMesh } from '@estampe/core';
import { QuadBuilder } from './quad-builder';

export type Axis = readonly [number, number, number];

/** The six patches of a cube: outward axis, then the axes of its grid, so that axis = u x v. */
const PATCHES: readonly { readonly name: string; readonly axes: readonly [Axis, Axis, Axis] }[] = [
  { name: 'front', axes: [[0, 0, 1], [1, 0, 0], [0, 1, 0]] },
  { name: 'right', axes: [[1, 0, 0], [0, 0, -1], [0, 1, 0]] },
  { name: 'back', axes: [[0, 0, -1], [-1, 0, 0], [0, 1, 0]] },
  { name: 'left', axes: [[-1, 0, 0], [0, 0, 1], [0, 1, 0]] },
  { name: 'top', axes: [[0, 1, 0], [1, 0, 0], [0, 0, -1]] },
  { name: 'bottom', axes: [[0, -1, 0], [1, 0, 0], [0, 0, 1]] },
]; // prettier-ignore

/** A closed light mesh of 6 x `side` x `side` quads, six UV islands in one tile. @param place of the point in a unit direction */
export function cubeSphere(object: string, side: number, place: (direction: Axis) => Axis): PolyMesh {
  const b = new QuadBuilder(object);
  PATCHES.forEach(({ name, axes: [n, s, t] }, k) => {
    const corner = [0.02 + 0.33 * (k % 3), 0.52 - 0.5 * Math.floor(k / 3)];
    const point = (i: number, j: number): number => {
      // equal angles rather than equal steps: quads of nearly one size
      const a = Math.tan((Math.PI / 4) * ((2 * i) / side - 1));
      const c = Math.tan((Math.PI / 4) * ((2 * j) / side - 1));
      const d = [0, 1, 2].map((x) => n[x] + a * s[x] + c * t[x]);
      const length = Math.hypot(d[0], d[1], d[2]);
      return b.point(d.map((v) => (v / Math.max(...d.map(Math.abs))).toFixed(6)).join(), ...place([d[0] / length, d[1] / length, d[2] / length])); // prettier-ignore
    };
    const uv = (i: number, j: number): number => b.uv(`${k},${i},${j}`, corner[0] + (0.3 * i) / side, corner[1] + (0.46 * j) / side);
    for (let j = 0; j < side; j++)
      for (let i = 0; i < side; i++) {
        const at = [[i, j], [i + 1, j], [i + 1, j + 1], [i, j + 1]] as const; // prettier-ignore
        b.quad(name, at.map(([x, y]) => point(x, y)), at.map(([x, y]) => uv(x, y))); // prettier-ignore
      }
  });
  return b.finish();
}
