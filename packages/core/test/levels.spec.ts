import type { PolyMesh } from '../src';
import { baseSurfaceAt, diagonalOf, faceCount, pointCount, refineLevels, requireUvs, triangleVerts, triangulate } from '../src'; // prettier-ignore
import { buildBvh } from '../src/spatial/bvh';
import { ClosestQuery } from '../src/spatial/closest';
import { reachInStack, reachToFreeSculpt } from '../src/extract/reach';
import { TangentFrame } from '../src/frames/tangent-frame';
import { buildEdges, connectivityOf } from '../src/mesh/topology';
import { baseSurfaceForMeasuring, curvedLevels, parseBase } from '../src/subdivision/base-surface';
import { refinedFaceCount, refineOnce, levelZero } from '../src/subdivision/refine';
import { cube, known, meshOf, onSphere, plane, random } from './shapes';

/** A triangle, a quad and a hexagon that share edges, over an open border. */
const mixed = meshOf(
  [[0, 0, 0], [1, 0, 0.2], [2, 0, 0], [2.6, 0.8, 0], [2, 1.6, 0.1], [1, 1.6, 0], [0, 1, 0.3], [1, 1, 0]],
  [[0, 1, 7, 6], [6, 7, 5], [1, 2, 3, 4, 5, 7]],
  [[0, 0], [0.3, 0], [0.3, 0.3], [0, 0.3], [0, 0.4], [0.3, 0.4], [0.1, 0.7], [0.5, 0], [0.8, 0], [1, 0.3], [0.8, 0.7], [0.5, 0.7], [0.5, 0.3]],
); // prettier-ignore

describe('a level above another', () => {
  it.each<[string, PolyMesh]>([
    ['a cube', cube()],
    ['an open plane', plane(3)],
    ['a triangle, a quad and a hexagon', mixed],
  ])('of %s has the edges that its own faces say, in the order in which they say them', (_what, base) => {
    let level = levelZero(base);
    for (let k = 0; k < 3; k++) {
      level = refineOnce(level);
      expect(level.edges).toEqual(buildEdges(connectivityOf(level.mesh)));
      const { uvs, faceUvs } = requireUvs(level.mesh);
      const uvMesh = { faceOffsets: level.mesh.faceOffsets, faceVerts: faceUvs, vertCount: uvs.length / 2 };
      expect(level.uvEdges).toEqual(buildEdges(uvMesh));
    }
  });

  it('finds them once, and not before they are asked for', () => {
    const level = refineOnce(levelZero(cube()));
    const own = Object.getOwnPropertyDescriptor(level, 'edges');
    expect(own?.value).toBeUndefined();
    expect(level.edges).toBe(level.edges);
    expect(level.uvEdges).toBe(level.uvEdges);
  });

  it('counts its faces beforehand, keeps the points of the level below first, and is closed as that was', () => {
    for (const base of [cube(), mixed]) {
      const levels = [1, 2, 3].map((k) => refineLevels(base, k));
      levels.forEach(({ mesh }, k) => expect(faceCount(mesh)).toBe(refinedFaceCount(base, k + 1)));
      const borders = ({ edges }: (typeof levels)[number]): number => edges.edgeFaceCounts.filter((n) => n === 1).length;
      expect(borders(levels[1])).toBe(2 * borders(levels[0]));
      // Euler: points - edges + faces does not change
      const euler = (l: (typeof levels)[number]): number => pointCount(l.mesh) - l.edges.edgeFaceCounts.length + faceCount(l.mesh);
      expect(new Set(levels.map(euler)).size).toBe(1);
    }
  });

  it('is refused before any work when nothing could hold it', () => {
    expect(() => refineLevels(cube(), 13)).toThrow(/13 levels would make 402653184 faces/);
    expect(() => baseSurfaceAt(cube(), 'limit', 13)).toThrow(/13 subdivisions would make/);
  });
});

/** Largest distance of a finer mesh's points from where the triangles of a coarser one have their UVs; both over the unit square of UVs. */
function farthestFromUv(coarse: PolyMesh, finer: PolyMesh): number {
  const { corners } = triangulate(coarse);
  const [uvs, faceUvs] = [known(coarse.uvs), known(coarse.faceUvs)];
  let worst = 0;
  const stride = Math.ceil(finer.faceVerts.length / 100);
  for (let c = 0; c < finer.faceVerts.length; c += stride) {
    const [u, w] = [0, 1].map((k) => known(finer.uvs)[2 * known(finer.faceUvs)[c] + k]);
    let best = Infinity;
    for (let t = 0; t < corners.length; t += 3) {
      const [i, j, k] = [2 * faceUvs[corners[t]], 2 * faceUvs[corners[t + 1]], 2 * faceUvs[corners[t + 2]]];
      const [ax, ay, bx, by, cx, cy] = [uvs[i] - u, uvs[i + 1] - w, uvs[j] - u, uvs[j + 1] - w, uvs[k] - u, uvs[k + 1] - w];
      const weights = [bx * cy - by * cx, cx * ay - cy * ax, ax * by - ay * bx];
      const area = weights[0] + weights[1] + weights[2];
      if (weights[0] / area < -1e-9 || weights[1] / area < -1e-9 || weights[2] / area < -1e-9) continue;
      const at = (axis: number): number =>
        weights.reduce((sum, x, n) => sum + (x / area) * coarse.positions[3 * coarse.faceVerts[corners[t + n]] + axis], 0);
      best = Math.min(best, Math.hypot(...[0, 1, 2].map((axis) => at(axis) - finer.positions[3 * finer.faceVerts[c] + axis])));
    }
    if (best < Infinity) worst = Math.max(worst, best);
  }
  return worst;
}

describe('the base of a map', () => {
  it('is named in plain words, and nothing else is taken', () => {
    expect(['limit', 'polygons', 'level:3', 'level:03'].map(parseBase)).toEqual(['limit', 'polygons', 'level:3', 'level:3']);
    for (const text of ['level', 'level:', 'level:-1', 'level:123', 'Limit', '']) expect(() => parseBase(text)).toThrow(/use limit, polygons or level:K/); // prettier-ignore
    expect((['limit', 'polygons', 'level:3'] as const).map(curvedLevels)).toEqual([Infinity, 0, 3]);
  });

  it('is refined until its triangles put every UV where a renderer has it, in flat faces too, and no further', () => {
    // twice at least, and no more where nothing is warped
    for (const base of ['limit', 'polygons', 'level:1'] as const) expect(baseSurfaceForMeasuring(plane(4, 4), base).base.level).toBe(2);
    expect(baseSurfaceForMeasuring(plane(2), 'polygons', { atLeast: 3 }).base.level).toBe(3);
    expect(baseSurfaceForMeasuring(plane(2), 'level:4').base.level).toBe(4);
    const low = plane(2, 2);
    low.positions.set([1.4, 0.7, 0], 3 * 4);
    // nor finer than the texels of a small map can tell
    expect(baseSurfaceForMeasuring(low, 'limit', { texels: 16 }).base.level).toBe(4);
    for (const base of ['limit', 'polygons', 'level:1'] as const) {
      const { base: found } = baseSurfaceForMeasuring(low, base);
      expect(found.level).toBeGreaterThan(4);
      const finer = baseSurfaceAt(low, base, found.level + 1).mesh;
      const worst = (level: number): number => farthestFromUv(baseSurfaceAt(low, base, level).mesh, finer);
      // one level further holds three quarters of what is left
      expect(worst(found.level)).toBeLessThan(1.5e-5 * diagonalOf(low.positions));
      expect(worst(found.level - 2)).toBeGreaterThan(1e-5 * diagonalOf(low.positions));
    }
  });

  it('hands over a coarser level that is wanted too, as it is by itself, where it comes up on the way', () => {
    const low = plane(2, 2);
    low.positions.set([1.4, 0.7, 0.3], 3 * 4);
    for (const base of ['limit', 'polygons', 'level:1'] as const) {
      const { base: found, also } = baseSurfaceForMeasuring(low, base, { atLeast: 5, texels: 16, alsoAt: 4 });
      expect(found).toEqual(baseSurfaceAt(low, base, 5));
      expect(also).toEqual(baseSurfaceAt(low, base, 4));
      expect(baseSurfaceForMeasuring(low, base, { atLeast: 5, texels: 16 }).also).toBeNull();
    }
  });

  it('of a level is that level split without bending: its points are all on the polygons of the level', () => {
    const bent = refineLevels(cube(), 1).mesh;
    const split = baseSurfaceAt(cube(), 'level:1', 3).mesh;
    for (let i = 0; i < bent.positions.length; i++) expect(split.positions[i]).toBeCloseTo(bent.positions[i], 6);
    // mid-points of edges lie half-way
    const [a, b] = [0, 1].map((k) => bent.faceVerts[k]);
    const middle = [0, 1, 2].map((k) => (bent.positions[3 * a + k] + bent.positions[3 * b + k]) / 2);
    const found = Array.from({ length: pointCount(split) }, (_, p) => [0, 1, 2].map((k) => split.positions[3 * p + k])).some((at) => Math.hypot(...at.map((x, k) => x - middle[k])) < 1e-6); // prettier-ignore
    expect(found).toBe(true);
  });
});

describe('the reach that is found by itself', () => {
  it('in a stack is a little more than the longest way between equal parameters', () => {
    const base = Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0);
    const sculpt = Float32Array.of(0, 0.3, 0, 1, 0, -0.4, 2, 0, 0);
    expect(reachInStack(base, sculpt)).toBeCloseTo(1.05 * 0.4, 6);
    expect(reachInStack(base, base)).toBe(0);
  });

  it('to a free sculpt is half as much again as the distance of two balls, however finely the inner one is refined', () => {
    const low = cube();
    const sculpt = onSphere(refineLevels(low, 5).mesh, 1.3);
    const tree = buildBvh(sculpt.positions, triangleVerts(sculpt, triangulate(sculpt)));
    const reaches = [5, 8].map((level) => {
      const mesh = onSphere(refineLevels(low, level).mesh, 1);
      return reachToFreeSculpt(low, { mesh, normals: mesh.positions, level }, sculpt.positions, tree);
    });
    for (const reach of reaches) expect(reach).toBeCloseTo(1.5 * 0.3, 2);
    expect(reaches[1] / reaches[0]).toBeCloseTo(1, 2); // 393,216 faces, of which a lighter level is enough
  });
});

it('finds the reach that the distances of all points would give, though it does not measure most of them', () => {
  const low = cube();
  const next = random(7);
  const mesh = onSphere(refineLevels(low, 4).mesh, 1);
  const ball = onSphere(refineLevels(low, 5).mesh, 1);
  const sculpt = {
    ...ball,
    positions: ball.positions.map((x, i) => x * (1 + 0.2 * ball.positions[i - (i % 3)] ** 2)).map((x) => x + 0.001 * next()),
  };
  const trees = [mesh, sculpt].map((m) => buildBvh(m.positions, triangleVerts(m, triangulate(m))));
  const distances = [
    { points: mesh.positions, query: new ClosestQuery(trees[1]) },
    { points: sculpt.positions, query: new ClosestQuery(trees[0]) },
  ].flatMap(({ points, query }) =>
    Array.from({ length: points.length / 3 }, (_, i) => {
      query.find(points[3 * i], points[3 * i + 1], points[3 * i + 2]);
      return Math.sqrt(query.distance2);
    }),
  );
  distances.sort((a, b) => a - b);
  const expected = 1.5 * distances[Math.floor(0.999 * distances.length)];
  const base = { mesh, normals: mesh.positions, level: 4 };
  const measured = jest.spyOn(ClosestQuery.prototype, 'find');
  expect(reachToFreeSculpt(low, base, sculpt.positions, trees[1])).toBeCloseTo(expected, 6);
  expect(measured.mock.calls.length).toBeLessThan(distances.length / 2);
  measured.mockRestore();
});

describe('a frame at a place', () => {
  const out = new Float64Array(3);
  const unit = (next: () => number): [number, number, number] => {
    const v = [next() - 0.5, next() - 0.5, next() - 0.5] as const;
    const length = Math.hypot(...v);
    return [v[0] / length, v[1] / length, v[2] / length];
  };
  const axes = (frame: TangentFrame): number[][] =>
    [[1, 0, 0], [0, 1, 0], [0, 0, 1]].map(([x, y, z]) => { frame.fromFrame(out, 0, x, y, z); return [...out]; }); // prettier-ignore
  const dot = (a: number[], b: number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

  it('is orthonormal for any normal and direction, as handed as asked, also where the direction stands along the normal', () => {
    const next = random(21);
    const frame = new TangentFrame();
    for (let k = 0; k < 300; k++) {
      const n = unit(next);
      const u = k % 3 === 0 ? n.map((x) => 2 * x) : unit(next); // nothing across N in a third of them
      const hand = k % 2 === 0 ? 1 : -1;
      frame.setAcross(...n, u[0], u[1], u[2], hand);
      const [t, b, w] = axes(frame);
      for (const [p, q] of [[t, b], [b, w], [w, t]]) expect(dot(p, q)).toBeCloseTo(0, 9); // prettier-ignore
      for (const axis of [t, b, w]) expect(dot(axis, axis)).toBeCloseTo(1, 9);
      const cross = [n[1] * t[2] - n[2] * t[1], n[2] * t[0] - n[0] * t[2], n[0] * t[1] - n[1] * t[0]];
      expect(dot(cross, b)).toBeCloseTo(hand, 9);
      if (k % 3 !== 0) expect(dot(t, u)).toBeGreaterThan(0); // U grows along T
    }
  });

  it('takes a direction apart and puts it together again, and gives nothing where it has no volume', () => {
    const next = random(4);
    const frame = new TangentFrame();
    for (let k = 0; k < 100; k++) {
      frame.setAcross(...unit(next), ...unit(next), 1);
      const d = unit(next);
      frame.toFrame(out, 0, ...d);
      frame.fromFrame(out, 0, out[0], out[1], out[2]);
      d.forEach((x, i) => expect(out[i]).toBeCloseTo(x, 9));
    }
    class Flat extends TangentFrame {
      constructor() {
        super();
        this.bx = this.tx;
        this.by = this.ty;
      }
    }
    new Flat().toFrame(out, 0, 1, 2, 3);
    expect([...out].map(Math.abs)).toEqual([0, 0, 0]);
  });
});
