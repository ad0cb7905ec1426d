import { INSIDE, MISSED, OUTSIDE, PADDING, checkMesh, faceTiles } from '../src';
import { halfToFloat, toHalf } from '../src/raster/half';
import { padInPlace } from '../src/raster/padding';
import { sampleRaster } from '../src/raster/sample';
import { NO_TRIANGLE, binTriangles, rasteriseRows } from '../src/uv/rasterise';
import { float16Oracle } from './float16-oracle';
import { meshOf, plane, random } from './shapes';

describe('rasterising UVs', () => {
  it('gives every sample of a covered square to exactly one triangle, on edges and diagonals too, in any band', () => {
    const mesh = plane(8);
    const { uvs, faceUvs } = { uvs: mesh.uvs ?? new Float32Array(0), faceUvs: mesh.faceUvs ?? new Uint32Array(0) };
    const corners = Uint32Array.from({ length: 384 }, (_, i) => faceUvs[4 * Math.floor(i / 6) + [0, 1, 2, 0, 2, 3][i % 6]]);
    for (const size of [8, 16, 24]) {
      const t = { uvs, corners, selected: Uint32Array.from(Array(128).keys()), origin: [0, 0] as const };
      const bins = binTriangles(t, size, 4);
      const counts = new Map<number, number>();
      for (let band = 0; band < size / 4; band++)
        for (const tri of rasteriseRows(
          t,
          bins.items.subarray(bins.offsets[band], bins.offsets[band + 1]),
          size,
          size,
          1,
          4 * band,
          4 * band + 4,
        ))
          counts.set(tri, (counts.get(tri) ?? 0) + 1);
      expect(counts.has(NO_TRIANGLE)).toBe(false);
      expect([...counts.values()].reduce((a, b) => a + b)).toBe(size * size);
    }
  });

  it('numbers tiles by the centroid of a face', () => {
    const square = (u: number, v: number): number[][] => [[u, v], [u + 1, v], [u + 1, v + 1], [u, v + 1]]; // prettier-ignore
    const points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]; // prettier-ignore
    const mesh = meshOf(
      points,
      [
        [0, 1, 2, 3],
        [0, 1, 2, 3],
        [0, 1, 2, 3],
      ],
      [...square(0, 0), ...square(1, 1), ...square(-1, 0)],
    );
    expect([...faceTiles(mesh, mesh.uvs ?? new Float32Array(0), mesh.faceUvs ?? new Uint32Array(0))]).toEqual([1001, 1012, 0]);
    expect(checkMesh(mesh).findings.map((f) => f.code)).toContain('uv-outside-tiles');
  });
});

describe('padding', () => {
  it.each([
    { measured: 0.06, missed: 0.05 },
    { measured: 0.06, missed: 0 },
    { measured: 0.5, missed: 0.05 },
    { measured: 0.9, missed: 0.5 },
    { measured: 0.004, missed: 0 },
  ])('takes the nearest measured texel, ties to the lowest row then column, up to its width: $measured', ({ measured, missed }) => {
    const next = random(5);
    const [W, H, width] = [23, 17, 6];
    const coverage = Uint8Array.from({ length: W * H }, () => (next() < measured ? INSIDE : next() < missed ? MISSED : OUTSIDE));
    expect(coverage).toContain(INSIDE);
    const values = Float32Array.from(coverage, (c, i) => (c === INSIDE ? i : -1));
    const field = { width: W, height: H, channels: 1 as const, values: values.slice(), coverage: coverage.slice() };
    padInPlace(field, width);
    for (let y = 0; y < H; y++)
      for (let x = 0; x < W; x++) {
        const i = y * W + x;
        let best = Infinity;
        let from = -1;
        for (let j = 0; j < W * H; j++) {
          const d = (x - (j % W)) ** 2 + (y - Math.floor(j / W)) ** 2;
          if (coverage[j] === INSIDE && d < best) [best, from] = [d, j];
        }
        const filled = coverage[i] !== OUTSIDE || best <= width * width;
        expect(field.values[i]).toBe(filled ? from : -1);
        expect(field.coverage[i]).toBe(coverage[i] === OUTSIDE && filled ? PADDING : coverage[i]);
      }
  });
});

it('reads bilinearly at texel centres and clamps outside', () => {
  const raster = { width: 2, height: 2, channels: 1, values: Float32Array.of(1, 2, 3, 4) };
  expect(sampleRaster(raster, 0, 0.25, 0.75, 'bilinear')).toBe(1);
  expect(sampleRaster(raster, 0, 0.5, 0.5, 'bilinear')).toBe(2.5);
  expect(sampleRaster(raster, 0, 2, -2, 'bilinear')).toBe(4);
  expect(sampleRaster(raster, 0, 0.6, 0.6, 'nearest')).toBe(2);
});

it('rounds to half floats as an independent implementation does', () => {
  const next = random(9);
  const values = Float32Array.from({ length: 20_000 }, () => (next() - 0.5) * 2 ** (next() * 44 - 27)).map((x) =>
    Math.max(-65504, Math.min(65504, x)),
  );
  expect(Array.from(toHalf(values), halfToFloat)).toEqual(Array.from(values, float16Oracle));
  expect(halfToFloat(toHalf(Float32Array.of(1e6))[0])).toBe(65504);
});

describe('slender triangles', () => {
  it('cover the samples that lie inside of all their edges, and no others', () => {
    const next = random(3);
    const [side, wrong] = [300, [] as string[]];
    for (let t = 0; t < 60; t++) {
      const [x, y, dx, dy] = [next(), next(), next() - 0.5, next() - 0.5];
      const uvs = Float32Array.from([x, y, x + dx, y + dy, x + dx + 0.02 * next(), y + dy + 0.02 * next()]);
      const uv = { uvs, corners: Uint32Array.of(0, 1, 2), selected: Uint32Array.of(0), origin: [0, 0] as const };
      const found = rasteriseRows(uv, uv.selected, side, side, 1, 0, side);
      const p = [0, 1, 2].map((k) => [uvs[2 * k] * side, (1 - uvs[2 * k + 1]) * side]);
      for (let i = 0; i < found.length; i++) {
        const [sx, sy] = [(i % side) + 0.5, Math.floor(i / side) + 0.5];
        const edges = [0, 1, 2].map((k) => {
          const [a, b] = [p[k], p[(k + 1) % 3]];
          return (b[0] - a[0]) * (sy - a[1]) - (b[1] - a[1]) * (sx - a[0]);
        });
        // samples on an edge are the rule's
        if (edges.some((e) => Math.abs(e) < 1e-9)) continue;
        const inside = edges.every((e) => e > 0) || edges.every((e) => e < 0);
        if (inside !== (found[i] !== NO_TRIANGLE)) wrong.push(`${t}: ${sx} ${sy}`);
      }
    }
    expect(wrong).toEqual([]);
  });
});
