import { LineQuery, refineLevels, triangleVerts, triangulate } from '../src';
import { buildBvh } from '../src/spatial/bvh';
import { ClosestQuery } from '../src/spatial/closest';
import { inSpaceOrder } from '../src/spatial/space-order';
import { cube, onSphere, plane, random } from './shapes';

function soup(n: number, seed: number): { positions: Float32Array; corners: Uint32Array } {
  const next = random(seed);
  const positions = new Float32Array(9 * n);
  for (let t = 0; t < n; t++) {
    const centre = [next(), next(), next()];
    for (let k = 0; k < 9; k++) positions[9 * t + k] = centre[k % 3] + 0.2 * (next() - 0.5);
  }
  return { positions, corners: Uint32Array.from({ length: 3 * n }, (_, i) => i) };
}

it('puts points that lie near each other one after another, and loses none', () => {
  const { positions } = soup(2000, 5);
  const ordered = inSpaceOrder(positions);
  const rows = (p: Float32Array): string[] => Array.from({ length: p.length / 3 }, (_, i) => p.subarray(3 * i, 3 * i + 3).join()).sort();
  expect(rows(ordered)).toEqual(rows(positions));
  const step = (p: Float32Array, i: number): number => Math.hypot(p[i] - p[i + 3], p[i + 1] - p[i + 4], p[i + 2] - p[i + 5]);
  const way = (p: Float32Array): number =>
    Array.from({ length: p.length / 3 - 1 }, (_, i) => step(p, 3 * i)).reduce((sum, d) => sum + d, 0);
  // 6000 places on a way through a cube: about 6000^(2/3) sides long at best
  expect(way(ordered)).toBeLessThan(2.5 * 6000 ** (2 / 3));
  // one place many times, and none
  expect(inSpaceOrder(new Float32Array(9).fill(2))).toEqual(new Float32Array(9).fill(2));
  expect(inSpaceOrder(new Float32Array(0))).toHaveLength(0);
});

describe('BVH', () => {
  const { positions, corners } = soup(400, 1);
  const tree = buildBvh(positions, corners);
  const one = (t: number): ReturnType<typeof buildBvh> => buildBvh(positions.subarray(9 * t, 9 * t + 9), Uint32Array.of(0, 1, 2));

  it('finds the same hits and closest points as trying every triangle', () => {
    const singles = Array.from({ length: 400 }, (_, t) => one(t));
    const next = random(2);
    const line = new LineQuery(tree);
    const closest = new ClosestQuery(tree);
    for (let i = 0; i < 300; i++) {
      const o = [next() * 1.4 - 0.2, next() * 1.4 - 0.2, next() * 1.4 - 0.2] as const;
      const d = [next() - 0.5, next() - 0.5, i % 7 === 0 ? 0 : next() - 0.5] as const;
      const near = next() - 0.5;
      const facing = i % 2 === 0 ? 'along' : 'any';
      let best = Infinity;
      let distance = Infinity;
      for (const single of singles) {
        const q = new LineQuery(single);
        if (q.nearest(...o, ...d, near, -2, 2, facing)) best = Math.min(best, Math.abs(q.t - near));
        const c = new ClosestQuery(single);
        c.find(...o);
        distance = Math.min(distance, c.distance2);
      }
      expect(line.nearest(...o, ...d, near, -2, 2, facing) ? Math.abs(line.t - near) : Infinity).toBe(best);
      closest.find(...o);
      expect(closest.distance2).toBe(distance);
    }
  });

  it('lets no ray through shared edges and corners', () => {
    const mesh = plane(8, 1);
    const query = new LineQuery(buildBvh(mesh.positions, triangleVerts(mesh, triangulate(mesh))));
    for (let j = 0; j <= 32; j++)
      for (let i = 0; i <= 32; i++) expect(query.nearest(i / 32, j / 32, 0.3, 0, 0, 1, 0, -1, 1, 'along')).toBe(true);
    expect(query.t).toBeCloseTo(-0.3, 12);
    expect(query.nearest(0.5, 0.5, 0.3, 0, 0, -1, 0, -1, 1, 'along')).toBe(false);
  });

  it('measures a sphere to the facets that stand for it', () => {
    const { mesh } = refineLevels(cube(), 5);
    const sphere = onSphere(mesh, 2);
    const tree2 = buildBvh(sphere.positions, triangleVerts(sphere, triangulate(sphere)));
    const closest = new ClosestQuery(tree2);
    const next = random(3);
    for (let i = 0; i < 200; i++) {
      const p = [4 * next() - 2, 4 * next() - 2, 4 * next() - 2] as const;
      closest.find(...p);
      expect(Math.abs(Math.sqrt(closest.distance2) - Math.abs(2 - Math.hypot(...p)))).toBeLessThan(2e-3);
    }
    expect(closest.find(9, 9, 9, 0.5)).toBe(false);
  });

  it('copes with nothing, one triangle, and a heap of equal ones', () => {
    const empty = new LineQuery(buildBvh(new Float32Array(0), new Uint32Array(0)));
    expect(empty.nearest(0, 0, 0, 0, 0, 1, 0, -1, 1, 'any')).toBe(false);
    expect(new ClosestQuery(buildBvh(new Float32Array(0), new Uint32Array(0))).find(0, 0, 0)).toBe(false);
    const same = buildBvh(
      Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0),
      Uint32Array.from({ length: 300 }, (_, i) => i % 3),
    );
    const query = new LineQuery(same);
    expect(query.nearest(0.2, 0.2, 1, 0, 0, 1, 0, -2, 2, 'along')).toBe(true);
    expect(query.t).toBe(-1);
  });
});
