import type { PolyMesh } from '@estampe/core';
import { limitPoints, refineLevels } from '@estampe/core';
import type { Axis } from './cube-sphere';
import { cubeSphere } from './cube-sphere';
import { hash3, ridge, smoothStep, valueNoise } from './noise';
import { mixInto, stackOf } from './stack-of';

/** Quads along a side of each of the six patches. */
const SIDE = 16;
/** Half width and half height of the body, millimetres. */
const WIDTH = 310;
const HEIGHT = 380;

/** The light mesh of the Mooring buoy: 1536 quads, six UV islands in one tile, millimetres, y up. */
export function mooringBuoyBase(): PolyMesh {
  return cubeSphere('mooring_buoy', SIDE, ([x, y, z]) => {
    const waist = WIDTH * (1 - 0.1 * y - 0.16 * smoothStep(-0.2, -0.95, y));
    return [waist * x, HEIGHT * y, waist * z];
  });
}

interface Barnacle {
  readonly centre: Axis;
  readonly normal: Axis;
  readonly radius: number;
}

/** Half a barnacle cut open: distance from its axis and height, in radii, from its foot over the undercut rim into the crater. */
const SHELL: readonly (readonly [number, number])[] = [
  [1, 0], [0.9, 0.05], [0.78, 0.16], [0.72, 0.3], [0.76, 0.44], [0.92, 0.56], [1.0, 0.66], [0.97, 0.76], [0.82, 0.82], [0.64, 0.76], [0.5, 0.6], [0.4, 0.42], [0.24, 0.34], [0, 0.31],
]; // prettier-ignore

/** A place on the shell; `t` runs from its foot (0) to the middle of the crater (1). */
function shell(t: number): readonly [number, number] {
  const at = Math.min(1, Math.max(0, t)) * (SHELL.length - 1);
  const i = Math.min(SHELL.length - 2, Math.floor(at));
  const f = at - i;
  const p = (k: number, c: 0 | 1): number => SHELL[Math.min(SHELL.length - 1, Math.max(0, k))][c];
  // Catmull-Rom through the points: round, and it keeps the rim where it is drawn
  const blend = (c: 0 | 1): number => {
    const [a, b, d, e] = [p(i - 1, c), p(i, c), p(i + 1, c), p(i + 2, c)];
    return b + 0.5 * f * (d - a + f * (2 * a - 5 * b + 4 * d - e + f * (3 * (b - d) + e - a)));
  };
  return [Math.max(0, blend(0)), blend(1)];
}

/** How much of the foot's disc the shell is spread from: the surface outside it only bulges towards it. */
const FOOT = 1.15;
const BARNACLES = 64;

/** Places for the barnacles on the body's smooth surface, larger ones first, none touching another. */
function settle(p: Float32Array, n: Float32Array): Barnacle[] {
  const placed: Barnacle[] = [];
  for (let k = 0; k < 4000 && placed.length < BARNACLES; k++) {
    const v = 3 * Math.floor(hash3(k, 1, 0, 71) * (p.length / 3));
    const centre: Axis = [p[v], p[v + 1], p[v + 2]];
    // they grow below the water line, most of them low
    const low = smoothStep(150, -140, centre[1]);
    if (hash3(k, 2, 0, 71) > low) continue;
    const radius = 44 - 24 * (placed.length / BARNACLES) + 6 * hash3(k, 3, 0, 71);
    const free = placed.every(
      (o) => Math.hypot(o.centre[0] - centre[0], o.centre[1] - centre[1], o.centre[2] - centre[2]) > 1.12 * FOOT * (o.radius + radius),
    );
    if (free) placed.push({ centre, normal: [n[v], n[v + 1], n[v + 2]], radius });
  }
  return placed;
}

/** Height of the worn steel over the smooth body, millimetres. */
function steelHeight(x: number, y: number, z: number): number {
  let h = 1.1 * valueNoise(x / 90, y / 90, z / 90, 7) + 0.4 * valueNoise(x / 24, y / 24, z / 24, 13);
  h += 7 * ridge(y, 215, 15) + 5 * ridge(y, 60, 11);
  // weld beads down the sides
  const angle = Math.atan2(x, z);
  h += 2.2 * ridge(Math.abs(Math.sin(1.5 * angle)) * Math.hypot(x, z), 0, 9) * (0.7 + 0.3 * Math.sin(y / 5));
  // flaking paint above the water line
  h -= 1.6 * smoothStep(0.1, 0.25, valueNoise(x / 36, y / 36, z / 36, 23)) * smoothStep(-40, 120, y);
  return h;
}

/** Levels 0 to `top` of the Mooring buoy (level 4 has 393,216 faces): a worn steel float overgrown with barnacles whose rims are
 *  undercut, so that heights along the normal cannot describe them. Rungs between are the top's points at their places. */
export function mooringBuoy(top = 4): PolyMesh[] {
  const base = mooringBuoyBase();
  // settled on a coarse level, so that every top level has them at the same places
  const coarse = limitPoints(refineLevels(base, 1));
  const barnacles = settle(coarse.positions, coarse.normals);
  return stackOf(base, top, ({ positions: p, normals: n }, i, place, colour) => {
    const h = steelHeight(p[i], p[i + 1], p[i + 2]);
    for (let k = 0; k < 3; k++) place[i + k] = p[i + k] + h * n[i + k];
    const overgrown = barnacles.some((barnacle) => growInPlace(place, i, p, barnacle, h));
    if (overgrown) mixInto(colour, i, [0.55, 0.52, 0.46], [0.8, 0.77, 0.7], 0.5 + valueNoise(p[i] / 9, p[i + 1] / 9, p[i + 2] / 9, 83));
    else mixInto(colour, i, [0.38, 0.24, 0.17], [0.6, 0.2, 0.14], smoothStep(-60, 20, p[i + 1]) * (0.5 + h / 4));
  });
}

/** Moves one point onto a barnacle if it stands on the barnacle's foot. @returns whether it does */
function growInPlace(out: Float32Array, i: number, p: Float32Array, { centre, normal, radius }: Barnacle, steel: number): boolean {
  const d = [p[i] - centre[0], p[i + 1] - centre[1], p[i + 2] - centre[2]];
  const up = d[0] * normal[0] + d[1] * normal[1] + d[2] * normal[2];
  const flat = d.map((x, k) => x - up * normal[k]);
  const away = Math.hypot(flat[0], flat[1], flat[2]);
  if (away >= FOOT * radius || Math.abs(up) > radius) return false;
  const [r, height] = shell(1 - away / (FOOT * radius));
  // the foot follows the body, the shell its own axis
  const own = smoothStep(0, 0.12, 1 - away / (FOOT * radius));
  const lift = radius * height + up + steel * (1 - own);
  const grooves = 1 + 0.05 * own * Math.cos(11 * Math.atan2(flat[0] + 0.7 * flat[2], flat[1] - 0.4 * flat[2]));
  const spread = away === 0 ? 0 : ((1 - own) * away + own * r * radius * grooves) / away;
  for (let k = 0; k < 3; k++) {
    const shelled = centre[k] + spread * flat[k] + lift * normal[k];
    out[i + k] = (1 - own) * out[i + k] + own * shelled;
  }
  return true;
}
