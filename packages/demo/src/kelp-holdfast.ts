import type { PolyMesh } from '@estampe/core';
import { pointCount, polyMesh } from '@estampe/core';
import { cubeSphere } from './cube-sphere';
import { hash3, smoothStep, valueNoise } from './noise';
import { surfaceNets } from './surface-nets';

/** Millimetres: half the width of the tangle, its height, and half the box that it is made in. */
const SPREAD = 250;
const TALL = 260;
const BOX = 340;
const STRANDS = 26;
const STEPS = 14;
/** Radii at which a strand is not felt any more, and how much its bark varies. */
const FAR = 1.8;
const BARK = 0.07;
/** The light mesh lies this far outside the strands that it spans. */
const SLACK = 6;
const MIDDLE = 0.35 * TALL;

/** A place on a strand with its radius. */
type Knot = readonly [x: number, y: number, z: number, radius: number];

/** One strand from the stalk out and down to the rock; it wanders, and the outer ones lie over the inner ones. */
function strand(k: number): Knot[] {
  const turn = 2.4 * k + 0.7 * hash3(k, 1, 0, 131);
  const reach = SPREAD * (0.45 + 0.5 * hash3(k, 2, 0, 131));
  const thick = 27 - 9 * hash3(k, 3, 0, 131);
  return Array.from({ length: STEPS + 1 }, (_, s): Knot => {
    const t = s / STEPS;
    const wander = 0.9 * t * valueNoise(3.1 * t, k, 0, 137);
    const out = 18 + reach * t ** 0.85 + 16 * t * valueNoise(4 * t, k, 1, 137);
    const y = TALL * (1 - t) ** (0.7 + 0.9 * hash3(k, 4, 0, 131)) + 20 * t * (1 - t) * valueNoise(5 * t, k, 2, 137);
    return [out * Math.sin(turn + wander), Math.max(4, y), out * Math.cos(turn + wander), thick * (1 - 0.45 * t)];
  });
}

/** How much strand there is around each place of a grid; 1 on the surface. Each strand adds what is near it, so neighbours grow together. */
function tangle(cells: number): { readonly data: Float32Array; readonly side: number; readonly step: number } {
  const side = cells + 1;
  const step = (2 * BOX) / cells;
  const data = new Float32Array(side ** 3);
  const index = (v: number): number => Math.floor((v + BOX) / step);
  const own = new Float32Array(side ** 3); // of one strand
  for (let k = 0; k < STRANDS; k++) {
    const touched: number[] = [];
    const knots = strand(k);
    for (let s = 0; s < STEPS; s++) {
      const [a, b] = [knots[s], knots[s + 1]];
      const far = FAR * Math.max(a[3], b[3]);
      const range = [0, 1, 2].map((c) => [Math.max(0, index(Math.min(a[c], b[c]) - far)), Math.min(cells, index(Math.max(a[c], b[c]) + far) + 1)]); // prettier-ignore
      for (let z = range[2][0]; z <= range[2][1]; z++)
        for (let y = range[1][0]; y <= range[1][1]; y++)
          for (let x = range[0][0]; x <= range[0][1]; x++) {
            const amount = near(x * step - BOX, y * step - BOX, z * step - BOX, a, b);
            const at = (z * side + y) * side + x;
            if (amount <= own[at]) continue;
            if (own[at] === 0) touched.push(at);
            own[at] = amount;
          }
    }
    for (const at of touched) {
      data[at] += own[at];
      own[at] = 0;
    }
  }
  return { data, side, step };
}

/** 1 on the surface of the piece from a to b, more inside, 0 from FAR radii on. */
function near(x: number, y: number, z: number, a: Knot, b: Knot): number {
  const [abx, aby, abz] = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
  const [apx, apy, apz] = [x - a[0], y - a[1], z - a[2]];
  const t = Math.min(1, Math.max(0, (apx * abx + apy * aby + apz * abz) / (abx * abx + aby * aby + abz * abz)));
  const d = Math.sqrt((apx - t * abx) ** 2 + (apy - t * aby) ** 2 + (apz - t * abz) ** 2) / (a[3] + t * (b[3] - a[3]));
  if (d > FAR * (1 + BARK)) return 0;
  return falloff(d / (1 + BARK * valueNoise(x / 9, y / 9, z / 9, 139))) / falloff(1);
}
const falloff = (radii: number): number => Math.max(0, 1 - (radii / FAR) ** 2) ** 3;

/** The free sculpt of the Kelp holdfast: strands grown together, made on a grid of 12 cells times two to the power of `top` a side (192
 *  for 4: 68,540 faces). It has no levels and no UVs. */
function fusedStrands(top: number): PolyMesh {
  const cells = 12 * 2 ** top;
  const { data, side, step } = tangle(cells);
  const mesh = surfaceNets(data, side, 1, step, -BOX);
  const colors = new Float32Array(mesh.positions.length);
  for (let i = 0; i < colors.length; i += 3) {
    const [x, y, z] = mesh.positions.subarray(i, i + 3);
    const dry = smoothStep(-0.5, 0.7, valueNoise(x / 40, y / 40, z / 40, 149) + 0.5 * valueNoise(x / 11, y / 11, z / 11, 151));
    for (let c = 0; c < 3; c++) colors[i + c] = [0.27, 0.22, 0.1][c] * (1 - dry) + [0.55, 0.42, 0.24][c] * dry;
  }
  return polyMesh({ positions: mesh.positions, faceOffsets: mesh.faceOffsets, faceVerts: mesh.faceVerts, colors });
}

/** The light mesh of the Kelp holdfast: 1536 quads drawn over the tangle like a cloth, so that it spans what lies between strands. */
export function kelpHoldfastBase(): PolyMesh {
  const { data, side, step } = tangle(72);
  const amount = (x: number, y: number, z: number): number => {
    const [i, j, k] = [x, y, z].map((v) => Math.min(side - 1, Math.max(0, Math.round((v + BOX) / step))));
    return data[(k * side + j) * side + i];
  };
  const outermost = (d: readonly number[]): number => {
    for (let r = 330; r > 40; r -= 2) if (amount(r * d[0], MIDDLE + r * d[1], r * d[2]) >= 1) return r;
    return 40;
  };
  const low = cubeSphere('kelp_holdfast', 16, ([x, y, z]) => {
    const r = outermost([x, y, z]) + SLACK;
    return [r * x, MIDDLE + r * y, r * z];
  });
  return draped(low);
}

/** Radii from the middle evened out between neighbours, never under half of what a place had: a cloth over the strands. */
function draped(low: PolyMesh): PolyMesh {
  const n = pointCount(low);
  const positions = low.positions.slice();
  const radius = (i: number): number => Math.hypot(positions[3 * i], positions[3 * i + 1] - MIDDLE, positions[3 * i + 2]);
  for (let round = 0; round < 6; round++) {
    const sum = new Float64Array(n);
    const count = new Float64Array(n);
    for (let c = 0; c < low.faceVerts.length; c++) {
      const [v, next] = [low.faceVerts[c], low.faceVerts[c % 4 === 3 ? c - 3 : c + 1]];
      sum[v] += radius(next);
      sum[next] += radius(v);
      count[v]++;
      count[next]++;
    }
    for (let i = 0; i < n; i++) {
      const now = radius(i);
      const wanted = Math.max(now, sum[i] / count[i]) * 0.5 + (sum[i] / count[i]) * 0.5;
      const k = Math.max(0.5, wanted / now);
      for (let c = 0; c < 3; c++) positions[3 * i + c] = (positions[3 * i + c] - (c === 1 ? MIDDLE : 0)) * k + (c === 1 ? MIDDLE : 0);
    }
  }
  return { ...low, positions };
}

/** Light mesh and free sculpt of the Kelp holdfast, millimetres, y up: fused tangled strands under a light mesh that no subdivision leads
 *  to, so that a map has to be searched, and in places finds another layer than its neighbours. */
export const kelpHoldfast = (top = 4): PolyMesh[] => [kelpHoldfastBase(), fusedStrands(top)];
