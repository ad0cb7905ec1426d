import type { PolyMesh } from '@estampe/core';
import { pits, ridge, smoothStep, valueNoise } from './noise';
import { QuadBuilder } from './quad-builder';
import { mixInto, stackOf } from './stack-of';

/** Points around the bell; a cap of CAP x CAP quads has as many on its border. */
const AROUND = 40;
const CAP = AROUND / 4;
/** Outer and inner profile (radius, height) in millimetres, from the crown down to the lip and back up. */
const OUTER: readonly (readonly [number, number])[] = [
  [95, 690], [150, 672], [186, 636], [204, 590], [215, 535], [224, 480], [234, 420], [247, 355], [264, 290], [286, 225], [314, 165], [346, 110], [376, 64], [396, 30], [402, 6], [394, -12], [376, -20], [357, -15],
]; // prettier-ignore
const INNER: readonly (readonly [number, number])[] = [
  [357, -15], [338, 18], [308, 75], [272, 145], [243, 230], [222, 325], [206, 420], [192, 510], [172, 580], [132, 625], [84, 640],
]; // prettier-ignore

/** The light mesh of the Harbour bell: 1280 quads, four UV islands in one tile, millimetres, y up. */
export function harbourBellBase(): PolyMesh {
  const b = new QuadBuilder('harbour_bell');
  band(b, 'outside', OUTER, [0.02, 0.98], [0.98, 0.5]);
  band(b, 'inside', INNER, [0.02, 0.98], [0.48, 0.13]);
  cap(b, 'crown', OUTER[0], [0.07, 0.065], 0.05, false);
  cap(b, 'vault', INNER[INNER.length - 1], [0.2, 0.065], 0.045, true);
  return b.finish();
}

const ringKey = ([r, y]: readonly [number, number], i: number): string => `${r},${y},${((i % AROUND) + AROUND) % AROUND}`;

function ringPoint(b: QuadBuilder, at: readonly [number, number], i: number): number {
  const angle = (2 * Math.PI * i) / AROUND;
  return b.point(ringKey(at, i), at[0] * Math.sin(angle), at[1], at[0] * Math.cos(angle));
}

function band(
  b: QuadBuilder,
  group: string,
  profile: readonly (readonly [number, number])[],
  [u0, u1]: readonly [number, number],
  [v0, v1]: readonly [number, number],
): void {
  const along = [0];
  for (let j = 1; j < profile.length; j++)
    along.push(along[j - 1] + Math.hypot(profile[j][0] - profile[j - 1][0], profile[j][1] - profile[j - 1][1]));
  const uv = (i: number, j: number): number =>
    b.uv(`${group},${i},${j}`, u0 + ((u1 - u0) * i) / AROUND, v0 + ((v1 - v0) * along[j]) / along[along.length - 1]);
  for (let j = 0; j + 1 < profile.length; j++)
    for (let i = 0; i < AROUND; i++) {
      b.quad(
        group,
        [
          ringPoint(b, profile[j + 1], i),
          ringPoint(b, profile[j + 1], i + 1),
          ringPoint(b, profile[j], i + 1),
          ringPoint(b, profile[j], i),
        ],
        [uv(i, j + 1), uv(i + 1, j + 1), uv(i + 1, j), uv(i, j)],
      );
    }
}

/** A disc of quads that closes a ring: a square grid pressed into the circle, slightly domed. */
function cap(
  b: QuadBuilder,
  group: string,
  at: readonly [number, number],
  centre: readonly [number, number],
  radius: number,
  flip: boolean,
): void {
  const rise = 14;
  const place = (i: number, j: number): { point: number; uv: number } => {
    const ring = Math.max(Math.abs(i - CAP / 2), Math.abs(j - CAP / 2)) / (CAP / 2);
    const border = borderIndex(i - CAP / 2, j - CAP / 2, ring * (CAP / 2));
    const angle = (2 * Math.PI * border) / AROUND;
    const x = ring * Math.sin(angle);
    const z = ring * Math.cos(angle);
    const point =
      ring === 1
        ? ringPoint(b, at, Math.round(border))
        : b.point(`${group},${i},${j}`, at[0] * x, at[1] + rise * (1 - ring * ring), at[0] * z);
    return { point, uv: b.uv(`${group},${i},${j}`, centre[0] + (flip ? -1 : 1) * radius * x, centre[1] - radius * z) };
  };
  for (let i = 0; i < CAP; i++)
    for (let j = 0; j < CAP; j++) {
      const corners = [place(i, j), place(i, j + 1), place(i + 1, j + 1), place(i + 1, j)];
      if (flip) corners.reverse();
      b.quad(group, corners.map((c) => c.point), corners.map((c) => c.uv)); // prettier-ignore
    }
}

/** Position around the ring, in points of the outermost ring, of a grid place on the square ring of half side `half`. */
function borderIndex(x: number, z: number, half: number): number {
  if (half === 0) return 0;
  const side = AROUND / 4;
  const t = (v: number): number => ((v / half) * side) / 2;
  if (z === half && Math.abs(x) <= half) return t(x);
  if (x === half) return side + t(-z);
  if (z === -half) return 2 * side + t(-x);
  return 3 * side + t(z);
}

/** Height of the cast surface over the smooth bell at a place of it, millimetres. */
function castHeight(x: number, y: number, z: number, outside: boolean): number {
  const angle = Math.atan2(x, z);
  const fine = 0.45 * valueNoise(x / 8, y / 8, z / 8, 11);
  const hammered = 0.9 * valueNoise(x / 70, y / 70, z / 70, 3) + 0.45 * valueNoise(x / 28, y / 28, z / 28, 5);
  if (!outside) return 0.7 * hammered + 0.5 * fine;
  let h = hammered + fine;
  for (const [centre, width, height] of [
    [575, 9, 2.2],
    [548, 6, 1.5],
    [300, 8, 2],
    [278, 6, 1.4],
    [86, 10, 2.4],
    [52, 7, 1.6],
  ] as const)
    h += height * ridge(y, centre, width);
  // a twisted rope between the two lower groups
  const rope = ridge(y, 190, 34);
  h += rope * (0.8 + 1.5 * Math.sin(32 * angle + (y - 190) / 11) ** 2);
  // lettering-like bosses around the shoulder
  const boss = ridge(y, 440, 40) * smoothStep(0.35, 0.75, Math.cos(18 * angle)) * (0.6 + 0.4 * valueNoise(6 * angle, y / 30, 0, 21));
  h += 2.4 * boss;
  const weather = smoothStep(-0.4, 0.5, valueNoise(x / 160, y / 160, z / 160, 31));
  h -= weather * (1.6 * pits(x / 13, y / 13, z / 13, 41, 0.5) + 1.1 * pits(x / 30, y / 30, z / 30, 51, 0.35));
  // a chip out of the lip
  const chip = Math.hypot((angle - 0.5) / 0.13, (y + 4) / 34);
  h -= 7 * (1 - smoothStep(0.55, 1, chip + 0.18 * valueNoise(x / 14, y / 14, z / 14, 61)));
  return h;
}

/** Levels 0 to `top` of the Harbour bell (level 4 has 327,680 faces): the clean light mesh, and above it the cast surface.
 *  Rungs between are the top's points at their places, as in any stack given by base and top. */
export function harbourBell(top = 4): PolyMesh[] {
  return stackOf(harbourBellBase(), top, ({ positions: p, normals: n }, i, place, colour) => {
    const h = castHeight(p[i], p[i + 1], p[i + 2], isOutside(p[i], p[i + 1], p[i + 2], n[i], n[i + 1], n[i + 2]));
    for (let k = 0; k < 3; k++) place[i + k] = p[i + k] + h * n[i + k];
    // bronze where hands and weather rub, patina where it is sunk
    mixInto(colour, i, [0.3, 0.43, 0.37], [0.52, 0.39, 0.21], 0.5 + h / 5);
  });
}

/** Outside and lip: the normal looks away from the axis, up at the crown, or the place is the rim itself. */
function isOutside(x: number, y: number, z: number, nx: number, ny: number, nz: number): boolean {
  return y < 0 || (y > 660 ? ny > 0 : x * nx + z * nz > 0);
}
