import { readFileSync } from 'node:fs';
import type { PolyMesh } from '../src';
import { baseSurfaceAt, CancelledError, coarserBy, diagonalOf, faceCount, limitPoints, pointCount, readObj, refineLevels } from '../src';
import { buildEdges } from '../src/mesh/topology';
import { refineOnce, levelZero } from '../src/subdivision/refine';
import type { BoundaryRule, UvRule } from '../src/mesh/surface-rules';
import { NAMED_MESHES } from './named-meshes';
import { cube, meshOf, onSphere, plane } from './shapes';

interface Fixture {
  levels: number;
  cases: { boundary: BoundaryRule; uv: UvRule; places: number[]; limit?: number[] }[];
}
const fixtures = JSON.parse(readFileSync(`${__dirname}/fixtures/opensubdiv/meshes.json`, 'utf8')) as Record<string, Fixture>;
const mixed = readObj(readFileSync(`${__dirname}/fixtures/opensubdiv/mixed.obj`)).mesh;
const meshes: Record<string, PolyMesh> = { ...NAMED_MESHES, mixed };

/** Largest difference of any row of `rows` to its nearest row of `among`. */
function farthest(rows: number[][], among: number[][]): number {
  const window = 1e-4;
  const sorted = [...among].sort((a, b) => a[0] - b[0]);
  const distance = (row: number[]): number => {
    let lo = 0;
    for (let step = 1 << 20; step > 0; step >>= 1) if (lo + step <= sorted.length && sorted[lo + step - 1][0] < row[0] - window) lo += step;
    let best = Infinity;
    for (let i = lo; i < sorted.length && sorted[i][0] <= row[0] + window; i++)
      best = Math.min(best, Math.max(...row.map((x, k) => Math.abs(x - sorted[i][k]))));
    return best;
  };
  return Math.max(...rows.map(distance));
}
const rowsOf = (flat: number[], n: number): number[][] => Array.from({ length: flat.length / n }, (_, i) => flat.slice(n * i, n * i + n));
/** Place, UV and the UV's limit at every corner. */
function cornerRows({ positions: p, uvs, faceVerts, faceUvs }: PolyMesh, limit: Float32Array | null): number[][] {
  return Array.from(faceVerts, (v, c) => {
    const t = faceUvs?.[c] ?? 0;
    return [p[3 * v], p[3 * v + 1], p[3 * v + 2], ...[uvs, limit].flatMap((a) => [a?.[2 * t] ?? NaN, a?.[2 * t + 1] ?? NaN])];
  });
}

describe('a refined mesh some levels coarser', () => {
  it('has the faces of that level, in their order, on points of its own', () => {
    for (const base of [...Object.values(NAMED_MESHES), mixed]) {
      const fine = refineLevels(base, 3).mesh;
      for (const levels of [1, 2]) {
        const { mesh, points } = coarserBy(fine, levels);
        const level = refineLevels(base, 3 - levels).mesh;
        expect([...mesh.faceVerts].map((v) => points[v])).toEqual([...level.faceVerts]);
        expect([...mesh.faceOffsets]).toEqual([...level.faceOffsets]);
        expect([...mesh.positions]).toEqual([...points].flatMap((v) => [...fine.positions.subarray(3 * v, 3 * v + 3)]));
      }
    }
  });
});

describe('Catmull-Clark refinement', () => {
  describe.each(Object.keys(fixtures))('of %s agrees with OpenSubdiv', (name) => {
    const mesh = meshes[name];
    const size = diagonalOf(mesh.positions);
    it.each(fixtures[name].cases.map((c) => [c.boundary, c.uv, c] as const))('%s, UVs %s', (boundary, uv, expected) => {
      const level = refineLevels(mesh, fixtures[name].levels, { boundary, uv });
      const at = limitPoints(level);
      const theirs = rowsOf(expected.places, 7);
      if (name !== 'two faces at an inner point' && theirs.length > 0) {
        const ours = cornerRows(level.mesh, at.uvs);
        expect(farthest(ours, theirs)).toBeLessThan(1e-6 * size);
        expect(farthest(theirs, ours)).toBeLessThan(1e-6 * size);
      }
      // at an inner point of two faces OpenSubdiv keeps the level's own point as its limit; ours is where refining converges to
      if (!expected.limit || name === 'two faces at an inner point') return;
      const { positions: p, normals: n } = at;
      const q = level.mesh.positions;
      const limit = Array.from({ length: p.length / 3 }, (_, i) => [q, p, n].flatMap((a) => [a[3 * i], a[3 * i + 1], a[3 * i + 2]]));
      const all = rowsOf(expected.limit, 9);
      expect(limit).toHaveLength(all.length);
      const wanted = mesh.creases === null ? all : all.filter((r) => r.slice(3, 6).some((x) => x !== 0)); // where OpenSubdiv says one
      expect(farthest(wanted.map((r) => r.slice(0, 6)), limit.map((r) => r.slice(0, 6)))).toBeLessThan(1e-6 * size); // prettier-ignore
      // points that OpenSubdiv gives no normal are left out
      expect(farthest(wanted.filter((r) => Math.hypot(...r.slice(6)) > 0), limit)).toBeLessThan(3e-6 * size); // prettier-ignore
    });
  });

  const moves = {
    moved: (x: number, y: number, z: number) => [x + 5, y + 6, z + 7],
    scaled: (x: number, y: number, z: number) => [3 * x, 3 * y, 3 * z],
    turned: (x: number, y: number, z: number) => [0.36 * x + 0.48 * y - 0.8 * z, -0.8 * x + 0.6 * y, 0.48 * x + 0.64 * y + 0.6 * z],
  };
  describe.each(Object.entries(moves))('of a mesh that was %s is what was made of it, moved likewise', (_, move) => {
    const each = (p: Float32Array): Float32Array =>
      Float32Array.from(Array.from({ length: p.length / 3 }, (__, i) => move(p[3 * i], p[3 * i + 1], p[3 * i + 2])).flat());
    it.each(['edge-and-corner', 'edge-only'] as const)('%s', (boundary) => {
      const off = Object.entries(NAMED_MESHES).flatMap(([name, mesh]) => {
        const [here, there] = [mesh, { ...mesh, positions: each(mesh.positions) }].map((m) => refineLevels(m, 2, { boundary }));
        return [(l: typeof here) => l.mesh.positions, (l: typeof here) => limitPoints(l).positions]
          .map((place) => [place(there), each(place(here))])
          .filter(([found, wanted]) => found.some((x, i) => !(Math.abs(x - wanted[i]) < 1e-5)))
          .map(() => name);
      });
      expect(off).toEqual([]);
    });
    it.each(['corners', 'boundaries', 'smooth'] as const)('UVs %s', (uv) => {
      const shift = (a: Float32Array | null): Float32Array => (a ?? new Float32Array(0)).map((x, i) => (i % 2 === 0 ? x + 0.25 : x - 0.5));
      for (const mesh of Object.values(NAMED_MESHES)) {
        const [here, there] = [mesh, { ...mesh, uvs: shift(mesh.uvs) }].map((m) => limitPoints(refineLevels(m, 2, { uv })).uvs);
        expect(shift(here).every((x, i) => Math.abs(x - (there?.[i] ?? NaN)) < 1e-6)).toBe(true);
      }
    });
  });

  it('has one limit, whatever the level it is asked on', () => {
    for (const mesh of Object.values(NAMED_MESHES)) {
      const [one, three] = [1, 3].map((k) => limitPoints(refineLevels(mesh, k)).positions);
      one.forEach((x, i) => expect(Math.abs(three[i] - x)).toBeLessThan(3e-6));
    }
  });

  it('numbers points as stated: old ones, then edges by first appearance, then faces; child k starts at corner k', () => {
    const { mesh } = refineLevels(meshOf([[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0]], [[0, 1, 2, 3]]), 1, { boundary: 'edge-and-corner' }); // prettier-ignore
    expect([...mesh.positions].map((x) => x)).toEqual([0, 0, 0, 2, 0, 0, 2, 2, 0, 0, 2, 0, 1, 0, 0, 2, 1, 0, 1, 2, 0, 0, 1, 0, 1, 1, 0]);
    expect([...mesh.faceVerts]).toEqual([0, 4, 8, 7, 1, 5, 8, 4, 2, 6, 8, 5, 3, 7, 8, 6]);
  });

  it('hands down the same edges that a fresh search finds', () => {
    const level = refineOnce(refineOnce(levelZero(mixed)));
    const fresh = buildEdges({ faceOffsets: level.mesh.faceOffsets, faceVerts: level.mesh.faceVerts, vertCount: pointCount(level.mesh) });
    expect(level.edges.cornerEdges).toEqual(fresh.cornerEdges);
    expect(level.edges.edgeFaceCounts).toEqual(fresh.edgeFaceCounts);
  });

  it.each(['edge-and-corner', 'edge-only'] as const)(
    'hands down what lies across edges, and kinds of points, as a fresh look finds them: %s',
    (boundary) => {
      for (const [name, mesh] of Object.entries(meshes)) {
        if (mesh.creases !== null) continue;
        let level = levelZero(mesh, { boundary });
        for (let k = 1; k <= 2; k++) {
          level = refineOnce(level);
          const fresh = levelZero(level.mesh, { boundary });
          expect([name, k, [...level.rules.kinds]]).toEqual([name, k, [...fresh.rules.kinds]]);
          expect([name, k, [...level.across]]).toEqual([name, k, [...fresh.across]]);
        }
      }
    },
  );

  it('keeps a plane a plane, non-manifold edges creased, and the input unchanged', () => {
    const flat = plane(3, 3, 0.5);
    const before = flat.positions.slice();
    const level = refineLevels(flat, 3);
    expect([...level.mesh.positions].filter((_, i) => i % 3 === 2).every((z) => z === 0.5)).toBe(true);
    expect([...limitPoints(level).normals].filter((_, i) => i % 3 === 2).every((z) => z === 1)).toBe(true);
    expect(flat.positions).toEqual(before);
    const book = meshOf([[0, 0, 0], [0, 1, 0], [1, 1, 0], [1, 0, 0], [-1, 1, 0], [-1, 0, 0], [0, 1, 1], [0, 0, 1]], [[0, 3, 2, 1], [0, 1, 4, 5], [0, 1, 6, 7]]); // prettier-ignore
    expect([...refineLevels(book, 2).mesh.positions].every(Number.isFinite)).toBe(true);
  });

  it('gives normals at a point with two faces only', () => {
    const points = [[0, 0, 0], [1, 0, 0], [2, 0, 0], [2, 1, 0], [2, -1, 0], [0, -1, 0], [0, 1, 0]]; // prettier-ignore
    const level = refineLevels(meshOf(points, [[0, 1, 2, 3, 6], [2, 1, 0, 5, 4]]), 2); // prettier-ignore
    const { normals } = limitPoints(level);
    for (let i = 2; i < normals.length; i += 3) expect(normals[i]).toBeCloseTo(1, 6);
  });

  it('converges to the limit surface: pushed points of level 1 and level 4 lie on one surface', () => {
    const coarse = limitPoints(refineLevels(cube(), 1));
    const fine = limitPoints(refineLevels(cube(), 4));
    expect(fine.positions.subarray(0, coarse.positions.length).every((x, i) => Math.abs(x - coarse.positions[i]) < 1e-6)).toBe(true);
  });

  it('splits polygonal bases linearly and blends their normals', () => {
    const { mesh, normals } = baseSurfaceAt(onSphere(cube(), 1), 'polygons', 3);
    expect(faceCount(mesh)).toBe(6 * 64);
    expect(Math.max(...mesh.positions.map(Math.abs))).toBeCloseTo(1 / Math.sqrt(3), 6);
    expect(Math.hypot(normals[0], normals[1], normals[2])).toBeCloseTo(1, 6);
    expect(() => refineLevels(cube(), 3, {}, { signal: { aborted: true } })).toThrow(CancelledError);
  });
});
