import type { PolyMesh } from '@estampe/core';
import { cubeSphere } from './cube-sphere';
import { pits, ridge, smoothStep, valueNoise } from './noise';
import { mixInto, stackOf } from './stack-of';

/** Millimetres: the ball, where its middle hangs in the bell, and how far the neck rises over it. */
const BALL = 92;
const MIDDLE = 70;
const NECK = 300;
const NECK_WIDTH = 0.34;

/** The light mesh of the Harbour bell's clapper: 864 quads, six UV islands in one tile, millimetres, y up. */
export function bellClapperBase(): PolyMesh {
  return cubeSphere('bell_clapper', 12, ([x, y, z]) => {
    const neck = smoothStep(0.35, 0.95, y);
    const width = BALL * (1 + (NECK_WIDTH / 0.6 - 1) * neck);
    return [width * x, MIDDLE + BALL * y + NECK * smoothStep(0.3, 1.25, y), width * z];
  });
}

/** Height of the forged iron over the smooth clapper, millimetres. */
function forgedHeight(x: number, y: number, z: number): number {
  let h = 1.3 * valueNoise(x / 46, y / 46, z / 46, 103) + 0.5 * valueNoise(x / 13, y / 13, z / 13, 107);
  // worn flat on the two sides that strike the bell
  const struck = smoothStep(0.8, 0.97, Math.abs(x) / Math.hypot(x, y - MIDDLE, z)) * ridge(y, MIDDLE, 90);
  h -= 3.4 * struck;
  h += 2 * ridge(y, 190, 11) + 1.6 * ridge(y, 214, 8);
  return h - (1 - struck) * 1.4 * pits(x / 17, y / 17, z / 17, 109, 0.45);
}

/** Levels 0 to `top` of the clapper (level 4 has 221,184 faces): a part of the Harbour bell of its own. */
export function bellClapper(top = 4): PolyMesh[] {
  return stackOf(bellClapperBase(), top, ({ positions: p, normals: n }, i, place, colour) => {
    const h = forgedHeight(p[i], p[i + 1], p[i + 2]);
    for (let k = 0; k < 3; k++) place[i + k] = p[i + k] + h * n[i + k];
    // iron: bright where it strikes, rusty where it is sunk
    mixInto(colour, i, [0.36, 0.2, 0.12], [0.45, 0.44, 0.43], 0.5 + h / 5);
  });
}
