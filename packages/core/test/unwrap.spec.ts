import type { PolyMesh } from '../src';
import { CancelledError, polyMesh, unwrap, unwrapAround, uvFigures, uvLayers } from '../src';
import { faceStretch } from '../src/uv/stretch';
import type { BitGrid } from '../src/unwrap/bit-grid';
import { bitGrid, firstFree, isSet, setCell } from '../src/unwrap/bit-grid';
import { faceGraph } from '../src/unwrap/face-graph';
import { cutChart } from '../src/unwrap/chart';
import { FINAL, flatten } from '../src/unwrap/flatten';
import { blockHand } from './block-hand';
import { meshOf, plane, random } from './shapes';

const bare = (mesh: PolyMesh): PolyMesh => ({ ...mesh, uvs: null, faceUvs: null });

/** A grid of quads rolled up: points at radius(v), angle 2 pi u, height(v); closed around unless `open`. */
function rolled(n: number, m: number, place: (u: number, v: number) => readonly [number, number, number], open = false): PolyMesh {
  const around = open ? n + 1 : n;
  const points: (readonly number[])[] = [];
  for (let j = 0; j <= m; j++) for (let i = 0; i < around; i++) points.push(place(i / n, j / m));
  const faces: number[][] = [];
  for (let j = 0; j < m; j++)
    for (let i = 0; i < n; i++) {
      const k = (i + 1) % around;
      faces.push([j * around + i, j * around + k, (j + 1) * around + k, (j + 1) * around + i]);
    }
  return meshOf(points, faces);
}
const cylinder = (n: number, open = false): PolyMesh =>
  rolled(n, 8, (u, v) => [Math.cos(2 * Math.PI * u), Math.sin(2 * Math.PI * u), 3 * v], open);

/** UVs are all there, nothing overlaps, and no polygon, point or order was touched. */
function expectSound(before: PolyMesh, after: PolyMesh): void {
  expect([after.positions, after.faceVerts, after.faceOffsets]).toEqual([before.positions, before.faceVerts, before.faceOffsets]);
  expect(after.faceUvs).toHaveLength(before.faceVerts.length);
  const figures = uvFigures(after, 2048);
  expect(figures.overlap).toBe(0);
  expect([...(after.uvs ?? [])].every((x) => x >= 0)).toBe(true);
}

describe('colours for UVs', () => {
  it('say how long texels are and how many there are, as powers of two', () => {
    // two unit squares; the left one has UVs twice as long as wide, the right one as much in both directions
    const mesh = meshOf(
      [[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0]], [[0, 1, 4, 3], [1, 2, 5, 4]],
      [[0, 0], [0.2, 0], [0.2, 0.1], [0, 0.1], [0.5, 0], [0.7, 0], [0.7, 0.2], [0.5, 0.2]],
    ); // prettier-ignore
    const { stretch, density } = uvLayers(mesh);
    expect([...stretch].map((x) => Number(x.toFixed(5)))).toEqual([1, 0]);
    // areas of 0.02 and 0.04 where the mean is 0.03
    expect(density[0]).toBeCloseTo(Math.log2(2 / 3) / 2, 5);
    expect(density[1]).toBeCloseTo(Math.log2(4 / 3) / 2, 5);
  });
});

describe('laying flat', () => {
  const laid = (mesh: PolyMesh) => {
    const chart = cutChart(
      faceGraph(mesh),
      Uint32Array.from({ length: mesh.faceOffsets.length - 1 }, (_, f) => f),
      () => false,
    );
    return { chart, flat: flatten(mesh, chart, FINAL) };
  };

  it('unrolls what can be unrolled without any stretch: a plane, a cylinder slit open, a cone slit open', () => {
    const cone = rolled(24, 6, (u, v) => [(1 + v) * Math.cos(2 * Math.PI * u), (1 + v) * Math.sin(2 * Math.PI * u), 2 * v], true);
    for (const mesh of [plane(6), cylinder(32, true), cone]) {
      const { flat } = laid(bare(mesh));
      // the quads of a cone are trapezoids, so nothing is left of the curve
      expect(flat?.stretch).toBeCloseTo(1, 3);
      expect(flat?.ratio).toBeLessThan(1.03);
    }
  });

  it('turns nothing over where it must stretch: half a sphere', () => {
    const half = rolled(32, 10, (u, v) => {
      const polar = 0.02 + (v * Math.PI) / 2;
      return [-Math.sin(polar) * Math.cos(2 * Math.PI * u), Math.sin(polar) * Math.sin(2 * Math.PI * u), Math.cos(polar)];
    });
    const ring = Uint32Array.from({ length: 32 }, (_, i) => 31 - i);
    const capped = meshOf(
      Array.from({ length: half.positions.length / 3 }, (_, i) => [...half.positions.subarray(3 * i, 3 * i + 3)]),
      [...Array.from({ length: half.faceVerts.length / 4 }, (_, f) => [...half.faceVerts.subarray(4 * f, 4 * f + 4)]), [...ring]],
    );
    const { flat, chart } = laid(capped);
    expect(flat).not.toBeNull();
    const uv = flat?.uv ?? new Float64Array();
    for (let t = 0; t < chart.triangles.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => 2 * chart.triangles[t + k]);
      expect((uv[b] - uv[a]) * (uv[c + 1] - uv[a + 1]) - (uv[b + 1] - uv[a + 1]) * (uv[c] - uv[a])).toBeGreaterThan(0);
    }
    // no map of a half sphere to the plane keeps lengths; some stretch is left
    expect(flat?.stretch).toBeGreaterThan(1.015);
    expect(flat?.stretch).toBeLessThan(1.1);
  });

  it('refuses what is no disc', () => {
    expect(laid(cylinder(12)).flat).toBeNull();
  });
});

describe('unwrap', () => {
  it('keeps a plane whole and fills the tile with it, up to the margin', () => {
    const { mesh } = unwrap(bare(plane(8)), { size: 1024, margin: 8 });
    expectSound(plane(8), mesh);
    const { islands, use, stretch } = uvFigures(mesh, 1024);
    expect(islands).toBe(1);
    expect(use).toBeGreaterThan(0.9);
    expect(stretch.rms).toBeCloseTo(1, 5);
  });

  it('cuts a tube along one line only, and again the same', () => {
    // as high as it is around, so that one island fills the tile well
    const tube = { ...cylinder(24), positions: cylinder(24).positions.map((x, i) => (i % 3 === 2 ? 2 * x : x)) };
    const { mesh } = unwrap(tube);
    expectSound(tube, mesh);
    const figures = uvFigures(mesh, 2048);
    expect(figures.islands).toBe(1);
    expect(figures.seamLength).toBeCloseTo(6, 4);
    expect(unwrap(tube).mesh.uvs).toEqual(mesh.uvs);
  });

  it('unwraps a hand with few seams, little stretch and a well filled tile', () => {
    const given = blockHand(1);
    const { mesh } = unwrap(given);
    expectSound(given, mesh);
    const figures = uvFigures(mesh, 2048);
    expect(figures.use).toBeGreaterThan(0.55);
    expect(figures.stretch.rms).toBeLessThan(1.2);
    // an automatic atlas of the same mesh has 135.8 units of seam (xatlasjs 0.2.0, its own settings)
    expect(figures.seamLength).toBeLessThan(0.4 * 135.8);
    expect(figures.smallestGap).toBeGreaterThanOrEqual(8);
  });

  it('parts at the borders of groups, and beyond that only where a part cannot lie flat', () => {
    const tube = cylinder(24);
    const half = { ...tube, sections: [0, 1].map((i) => ({ object: '', group: `g${i}`, material: '', smoothing: '' })), faceSections: Uint16Array.from({ length: tube.faceOffsets.length - 1 }, (_, f) => (f % 24 < 12 ? 0 : 1)) }; // prettier-ignore
    const two = unwrap(half, { seams: 'groups' });
    expect([uvFigures(two.mesh, 2048).islands, two.addedSeams]).toEqual([2, 0]);
    const closed = unwrap(tube, { seams: 'groups' });
    expect(uvFigures(closed.mesh, 2048).islands).toBe(1);
    expect(closed.addedSeams).toBe(8);
  });

  it('gives a group as many more texels as asked, also beside islands that stay, and names groups that are not there', () => {
    const flat = bare(plane(6));
    const mesh = { ...flat, sections: ['left', 'right'].map((group) => ({ object: '', group, material: '', smoothing: '' })), faceSections: Uint16Array.from({ length: 36 }, (_, f) => (f % 6 < 3 ? 0 : 1)) }; // prettier-ignore
    const lengths = (of: PolyMesh): number[] => {
      const { surface, uv } = faceStretch(of);
      return [0, 3].map((f) => Math.sqrt(uv[f] / surface[f]));
    };
    const weighed = unwrap(mesh, { seams: 'groups', weights: { left: 2.5 } }).mesh;
    expectSound(mesh, weighed);
    const [left, right] = lengths(weighed);
    expect(left / right).toBeCloseTo(2.5, 4);
    const again = lengths(unwrapAround(weighed, [3], { seams: 'groups', weights: { left: 0.5 } }).mesh);
    expect([again[0] / right, again[1]]).toEqual([expect.closeTo(0.5, 1), right]);
    expect(() => unwrap(mesh, { weights: { middle: 2 } })).toThrow(/no group 'middle' to weigh; its groups are left, right/);
    expect(() => unwrap(mesh, { weights: { left: 0 } })).toThrow(/weight of group left is 0/);
  });

  it('parts along picked edges, and says where there is none', () => {
    const flat = bare(plane(4));
    const across = Uint32Array.from([0, 1, 2, 3].flatMap((i) => [10 + i, 11 + i]));
    expect(uvFigures(unwrap(flat, { seams: across }).mesh, 1024).islands).toBe(2);
    expect(() => unwrap(flat, { seams: Uint32Array.from([0, 12]) })).toThrow(/from point 0 to 12, where the mesh has no edge/);
  });

  it('spreads islands over several tiles and keeps the margin in each', () => {
    const box = blockHand(0);
    const { mesh } = unwrap(box, { tiles: 3, size: 512, margin: 6, seams: 'groups' });
    expectSound(box, mesh);
    const { tiles, smallestGap } = uvFigures(mesh, 512);
    expect(tiles.every((t) => t >= 1001 && t <= 1003)).toBe(true);
    expect(smallestGap ?? Infinity).toBeGreaterThanOrEqual(6);
  });

  it('manages what files hold: pieces, holes, triangles and n-gons, crowded edges, far from zero, a face without area', () => {
    const odd = meshOf(
      [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.5, 0, 1], [0.5, 0, -1], [5, 5, 5], [6, 5, 5], [6, 6, 5], [5.5, 7, 5], [5, 6, 5], [1, 1, 0]],
      [[0, 1, 2, 3], [1, 0, 4], [0, 1, 5], [6, 7, 8, 9, 10], [2, 11, 3]],
    ); // prettier-ignore
    for (const mesh of [odd, { ...odd, positions: odd.positions.map((x) => x * 1000 + 1e5) }]) expectSound(mesh, unwrap(mesh).mesh);
  });

  it('refuses an empty mesh, one without area, and margins that leave no room', () => {
    expect(() => unwrap(polyMesh({ positions: new Float32Array(0), faceOffsets: new Uint32Array(1), faceVerts: new Uint32Array(0) }))).toThrow(/nothing to unwrap/); // prettier-ignore
    expect(() => unwrap(meshOf([[0, 0, 0], [0, 0, 0], [0, 0, 0]], [[0, 1, 2]]))).toThrow(/No face of the mesh has any area/); // prettier-ignore
    const many = meshOf(
      Array.from({ length: 900 }, (_, i) => [10 * Math.floor(i / 3) + (i % 3 === 1 ? 1 : 0), i % 3 === 2 ? 1 : 0, 0]),
      Array.from({ length: 300 }, (_, i) => [3 * i, 3 * i + 1, 3 * i + 2]),
    );
    expect(() => unwrap(many, { size: 64, margin: 8 })).toThrow(/300 islands with 8 texels between them do not fit a tile of 64/);
  });

  it('stops when asked', () => {
    let asked = 0;
    const signal = { get aborted() { return ++asked > 40; } }; // prettier-ignore
    expect(() => unwrap(blockHand(1), {}, { signal })).toThrow(CancelledError);
  });
});

describe('the first free place of an island', () => {
  const cellsOf = (grid: BitGrid): [number, number][] => {
    const out: [number, number][] = [];
    for (let y = 0; y < grid.height; y++) for (let x = 0; x < grid.width; x++) if (isSet(grid, x, y)) out.push([x, y]);
    return out;
  };

  it('is the one that looking at every column finds, whatever is taken and whatever holes the island has', () => {
    const next = random(7);
    let found = 0;
    for (let n = 0; n < 300; n++) {
      const there = bitGrid(40 + Math.floor(next() * 100), 60);
      const shape = bitGrid(1 + Math.floor(next() * 70), 1 + Math.floor(next() * 20));
      const blobs = Math.floor(next() * 12);
      for (let k = 0; k < blobs; k++) {
        const [x, y, w, h] = [next() * there.width, next() * there.height, next() * 30, next() * 9].map(Math.floor);
        for (let v = y; v < Math.min(there.height, y + h); v++) for (let u = x; u < Math.min(there.width, x + w); u++) setCell(there, u, v);
      }
      const dense = next();
      for (let y = 0; y < shape.height; y++) for (let x = 0; x < shape.width; x++) if (next() < dense) setCell(shape, x, y);
      const taken = (x: number, y: number): boolean => cells.some(([u, v]) => isSet(there, x + u, y + v));
      const cells = cellsOf(shape);
      for (let y = 0; y + shape.height <= there.height; y += 7) {
        const [from, last] = [Math.floor(next() * 5), there.width - shape.width];
        let x = from;
        while (x <= last && taken(x, y)) x++;
        const expected = x <= last ? x : -1;
        expect(firstFree(there, shape, y, from, last)).toBe(expected);
        if (expected > from) found++;
      }
    }
    expect(found).toBeGreaterThan(100);
  });
});
