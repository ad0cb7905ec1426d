import type { PolyMesh } from '@estampe/core';
import { pits, ridge, smoothStep, valueNoise } from './noise';
import { QuadBuilder } from './quad-builder';
import { mixInto, stackOf } from './stack-of';

/** Quads along the top and up a side. */
const TOP = 20;
const RISE = 4;
/** Millimetres: half the length of a side, and the height. */
const HALF = 420;
const HEIGHT = 144;
/** One unit of UV is 600 mm on the stone: the top, unfolded with its four sides, fills two by two tiles. */
const TOP_UV = [0.3, 1.7] as const;
const SIDE_UV = 0.24;
/** A quarter of the underside in the free corner of each tile. */
const FOOT_UV = 0.24;

/** The light mesh of the Tiled quay stone: 1120 quads; the top and its sides are one island over the tiles 1001, 1002, 1011 and 1012. */
export function quayStoneBase(): PolyMesh {
  const b = new QuadBuilder('quay_stone');
  const x = (i: number): number => HALF * ((2 * i) / TOP - 1);
  /** Place (i, j, k) on the block's grid: i and j along, k up; points on edges are shared by all sides. */
  const point = (i: number, j: number, k: number): number => b.point(`${i},${j},${k}`, x(i), (HEIGHT * k) / RISE, -x(j));
  const at = (i: number): number => TOP_UV[0] + ((TOP_UV[1] - TOP_UV[0]) * i) / TOP;
  const out = (k: number): number => (SIDE_UV * (RISE - k)) / RISE;
  const uv = (u: number, v: number, tile: string): number => b.uv(`${u.toFixed(6)},${v.toFixed(6)},${tile}`, u, v);
  for (let j = 0; j < TOP; j++)
    for (let i = 0; i < TOP; i++) {
      const corners = [[i, j], [i + 1, j], [i + 1, j + 1], [i, j + 1]] as const; // prettier-ignore
      b.quad('top', corners.map(([p, q]) => point(p, q, RISE)), corners.map(([p, q]) => uv(at(p), at(q), ''))); // prettier-ignore
    }
  // the sides fold out from the edges of the top; k counts down from it
  for (let i = 0; i < TOP; i++)
    for (let k = RISE; k > 0; k--) {
      const below = [[i, k - 1], [i + 1, k - 1], [i + 1, k], [i, k]] as const; // prettier-ignore
      const sides = [
        ['front', below.map(([p, h]) => point(p, 0, h)), below.map(([p, h]) => uv(at(p), TOP_UV[0] - out(h), ''))],
        ['back', below.map(([p, h]) => point(TOP - p, TOP, h)), below.map(([p, h]) => uv(at(TOP - p), TOP_UV[1] + out(h), ''))],
        ['right', below.map(([p, h]) => point(TOP, p, h)), below.map(([p, h]) => uv(TOP_UV[1] + out(h), at(p), ''))],
        ['left', below.map(([p, h]) => point(0, TOP - p, h)), below.map(([p, h]) => uv(TOP_UV[0] - out(h), at(TOP - p), ''))],
      ] as const;
      for (const [name, points, uvs] of sides) b.quad(name, points, uvs);
    }
  const half = TOP / 2;
  for (let j = 0; j < TOP; j++)
    for (let i = 0; i < TOP; i++) {
      // seen from below, so that the underside is not mirrored
      const corners = [[i, j], [i, j + 1], [i + 1, j + 1], [i + 1, j]] as const; // prettier-ignore
      const [right, upper] = [i >= half, j >= half];
      const foot = (p: number, q: number): number => {
        const s = (q - (upper ? half : 0)) / half;
        const t = (p - (right ? half : 0)) / half;
        const u = right ? 1.98 - FOOT_UV + FOOT_UV * s : 0.02 + FOOT_UV * s;
        const v = upper ? 1.98 - FOOT_UV + FOOT_UV * t : 0.02 + FOOT_UV * t;
        return uv(u, v, `foot ${Number(right)}${Number(upper)}`);
      };
      b.quad('underside', corners.map(([p, q]) => point(p, q, 0)), corners.map(([p, q]) => foot(p, q))); // prettier-ignore
    }
  return b.finish();
}

/** Depth of the groove that ropes wore across the seaward edge, 0 to 1. */
const ropeGroove = (x: number, z: number): number =>
  Math.max(ridge(x - 0.12 * z, -190, 34), 0.8 * ridge(x + 0.2 * z, 150, 26)) * smoothStep(60, 330, z);

/** Height of the dressed and worn stone over the smooth block, millimetres. */
function stoneHeight(x: number, y: number, z: number, ny: number): number {
  const grain = 0.55 * valueNoise(x / 7, y / 7, z / 7, 11) + 0.9 * valueNoise(x / 26, y / 26, z / 26, 5);
  let h = grain + 2.2 * valueNoise(x / 120, y / 120, z / 120, 3);
  // rows of chisel strokes, slanted, on top deeper where fewer feet went
  const top = smoothStep(0.6, 0.95, ny);
  const stroke = Math.sin((x + 0.6 * z) / 7.5 + 1.6 * valueNoise(x / 60, y / 60, z / 60, 17));
  h += (0.5 + 0.9 * smoothStep(-0.3, 0.4, valueNoise(x / 210, 0, z / 210, 29))) * stroke * (0.35 + 0.65 * top);
  h -= 2.4 * pits(x / 30, y / 30, z / 30, 41, 0.4) + 4 * pits(x / 75, y / 75, z / 75, 51, 0.3);
  h -= 13 * top * ropeGroove(x, z);
  // a drafted margin round the top, and the mason's mark: a wave under a bar
  const edge = HALF - Math.max(Math.abs(x), Math.abs(z));
  h -= 2.6 * top * ridge(edge, 64, 9);
  const mark = Math.max(ridge(z + 60 - 22 * Math.sin(x / 28), 0, 11) * ridge(x, 0, 104), ridge(z + 128, 0, 10) * ridge(x, 0, 92));
  return h - 5 * top * mark;
}

/** Levels 0 to `top` of the Tiled quay stone (level 4 has 286,720 faces): a coping stone of the quay, dressed with the chisel and worn by
 *  ropes, its UVs over two by two tiles. */
export function quayStone(top = 4): PolyMesh[] {
  return stackOf(quayStoneBase(), top, ({ positions: p, normals: n }, i, place, colour) => {
    const h = stoneHeight(p[i], p[i + 1], p[i + 2], n[i + 1]);
    for (let k = 0; k < 3; k++) place[i + k] = p[i + k] + h * n[i + k];
    mixInto(
      colour,
      i,
      [0.34, 0.35, 0.33],
      [0.63, 0.6, 0.54],
      0.55 + h / 12 + 0.2 * valueNoise(p[i] / 90, p[i + 1] / 90, p[i + 2] / 90, 61),
    );
  });
}
