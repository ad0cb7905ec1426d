import type { Field, PolyMesh, Raster } from '../src';
import { baseSurfaceAt, crackAtSeams, encodeField, extractTile, prepareSpan, proveDisplacement, refineLevels } from '../src';
import { storedRaster } from '../src/encode/encode-field';
import { seamGap } from '../src/proof/cracked-mesh';
import type { CrackedMesh } from '../src/proof/cracked-mesh';
import { pooledQuantile } from '../src/proof/statistics';
import { cube, meshOf, onSphere, plane } from './shapes';

const flat = (value: number): Raster => ({ width: 4, height: 4, channels: 1, values: new Float32Array(16).fill(value) });

describe('proof', () => {
  it('reports zero for a plane raised by its own map, and the step for the bare base', async () => {
    const { report } = await proveDisplacement(
      { low: plane(2, 4), sculpt: plane(8, 4, 0.25), maps: new Map([[1001, flat(0.25)]]) },
      { subdivisions: 2, base: 'polygons', tolerance: 0.001 },
    );
    expect(report.distance).toMatchObject({ mean: 0, rms: 0, max: 0, p99: 0 });
    expect(report.undisplaced.rms).toBeCloseTo(0.25, 7);
    expect(report).toMatchObject({ passed: true, reachedShare: 1, foldShare: 0, normalAngle: { mean: 0, p95: 0 }, missedShare: null });
  });

  it('holds a map at the wrong height, with the distance it is off', async () => {
    const { report } = await proveDisplacement(
      { low: plane(2, 4), sculpt: plane(8, 4, 0.25), maps: new Map([[1001, flat(0.7)]]) },
      { subdivisions: 2, base: 'polygons', tolerance: 0.01, midpoint: 0.5, scale: 1.5 },
    );
    expect(report.distance.rms).toBeCloseTo(0.05, 6);
    expect(report.passed).toBe(false);
    expect(report.reachedShare).toBe(0);
  });

  it('brings a sphere back from a cube: the error falls with map size, rounding adds what is predicted', async () => {
    const low = cube();
    const sculpt = onSphere(refineLevels(low, 5).mesh, 1);
    const run = async (size: number): Promise<{ field: Field; rms: number; undisplaced: number }> => {
      const { fields } = await extractTile(prepareSpan(low, sculpt, { width: size, height: size }), 1001);
      const field = fields.get('scalar') as Field;
      const { report } = await proveDisplacement({ low, sculpt, maps: new Map([[1001, field]]) }, { subdivisions: 5 });
      return { field, rms: report.distance.rms, undisplaced: report.undisplaced.rms };
    };
    const small = await run(64);
    const large = await run(256);
    expect(large.rms).toBeLessThan(0.7 * small.rms);
    expect(large.rms).toBeLessThan(0.002 * large.undisplaced);
    // a coarse step, so that rounding dominates
    const encoded = encodeField(large.field, { depth: '8', midpoint: 128 / 255, scale: 2 }, null);
    const { report } = await proveDisplacement(
      { low, sculpt, maps: new Map([[1001, storedRaster(encoded)]]), fields: new Map([[1001, large.field]]) },
      { subdivisions: 5, midpoint: 128 / 255, scale: 2 },
    );
    const added = Math.sqrt(report.distance.rms ** 2 - (report.unencoded?.rms ?? 0) ** 2);
    const predicted = encoded.figures.step / Math.sqrt(12);
    expect(added / predicted).toBeGreaterThan(0.55);
    expect(added / predicted).toBeLessThan(1.1);
  });

  it('cracks only where UVs differ, and measures the gap there', async () => {
    const low = cube();
    const { mesh } = baseSurfaceAt(low, 'polygons', 1);
    expect(crackAtSeams(plane(2), new Uint16Array(4).fill(1001)).points).toHaveLength(9);
    expect(crackAtSeams(mesh, new Uint16Array(24).fill(1001)).points).toHaveLength(6 * 9);
    // half the tile is raised: copies on either side of some seams part by that much along their normals
    const split: Raster = { width: 2, height: 2, channels: 1, values: Float32Array.of(1, 1, 0, 0) };
    const { report } = await proveDisplacement(
      { low, sculpt: cube(1.2), maps: new Map([[1001, split]]) },
      { subdivisions: 1, base: 'polygons', filter: 'nearest' },
    );
    expect(report.seamGap.max).toBeCloseTo(1, 6);
  });

  it.each([0, 1, 2])('measures the gap of every point that has two copies: point %d', (parted) => {
    const cracked = { points: Uint32Array.of(0, 0, 1, 1, 2, 2) } as unknown as CrackedMesh;
    const positions = Float32Array.from({ length: 18 }, (_, i) => (i === 6 * parted + 3 ? 0.5 : 0));
    expect(seamGap(cracked, positions)).toEqual({ rms: Math.sqrt(0.25 / 3), max: 0.5 });
  });

  it('sees folds: a surface turned inside out', async () => {
    const low = plane(2, 4);
    const sculpt = plane(8, 4, 0.25);
    sculpt.faceVerts.reverse();
    const { report } = await proveDisplacement(
      { low, sculpt, maps: new Map([[1001, flat(0.25)]]) },
      { subdivisions: 1, base: 'polygons', tolerance: 1 },
    );
    expect(report.foldShare).toBe(1);
    expect(report.passed).toBe(false);
  });

  it('names the tile that has no map', async () => {
    const two: PolyMesh = meshOf([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3], [3, 2, 1, 0]], [[0, 0], [1, 0], [1, 1], [0, 1], [1, 1], [2, 1], [2, 0], [1, 0]]); // prettier-ignore
    await expect(
      proveDisplacement({ low: two, sculpt: plane(3), maps: new Map([[1001, flat(0)]]) }, { subdivisions: 0 }),
    ).rejects.toMatchObject({
      code: 'NO_TILE',
      where: { tile: 1002 },
    });
  });
});

it('pools quantiles of two sets with half the weight each', () => {
  const ramp = Float32Array.from({ length: 1000 }, (_, i) => i / 1000);
  const one = { values: ramp, weights: new Float64Array(1000).fill(1) };
  expect(pooledQuantile([one], 0.95)).toBeCloseTo(0.949, 6);
  expect(pooledQuantile([one, { values: new Float32Array(10), weights: new Float64Array(10).fill(7) }], 0.75)).toBeCloseTo(0.5, 2);
});
