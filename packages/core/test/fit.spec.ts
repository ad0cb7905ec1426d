import type { ExtractOptions, PolyMesh, Raster } from '../src';
import { BilinearFit, extractTile, prepareSpan, proveDisplacement, refineLevels, sampleRaster } from '../src';
import { cube, onSphere, plane, random } from './shapes';

describe('bilinear fit', () => {
  it('finds the texels that give the wanted reads, and leaves the rest alone', () => {
    const [W, H] = [9, 7];
    const next = random(3);
    const truth: Raster = { width: W, height: H, channels: 1, values: Float32Array.from({ length: W * H }, () => next()) };
    const fit = new BilinearFit(W, H);
    for (let i = 0; i < 2000; i++) {
      const [u, v] = [0.6 * next(), next()];
      fit.add(u, v, sampleRaster(truth, 0, u, v, 'bilinear'), 1);
    }
    const values = new Float32Array(W * H).fill(0.5);
    const gain = fit.solveInPlace(values, () => 1e-9);
    expect(gain.reads).toBe(2000);
    expect(gain.before).toBeGreaterThan(0.1);
    expect(gain.after).toBeLessThan(1e-5);
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < 5; x++) expect(values[y * W + x]).toBeCloseTo(truth.values[y * W + x], 3);
      expect(values[y * W + 8]).toBe(0.5);
    }
  });

  it('with one read is the closed form: the change is the weights over their squares', () => {
    const fit = new BilinearFit(2, 2);
    fit.add(0.5, 0.5, 1, 1); // weights 1/4 each
    const values = new Float32Array(4);
    fit.solveInPlace(values, () => 1e-6);
    for (const v of values) expect(v).toBeCloseTo(1, 4);
  });
});

describe('fitted maps', () => {
  const prove = async (low: PolyMesh, sculpt: PolyMesh, base: 'limit' | 'polygons', options: Partial<ExtractOptions>) => {
    const span = prepareSpan(low, sculpt, { width: 96, height: 96, base, ...options });
    const { fields, fit } = await extractTile(span, 1001);
    const maps = new Map([[1001, fields.get('scalar') as Raster]]);
    const { report } = await proveDisplacement({ low, sculpt, maps }, { subdivisions: 6, base });
    return { fit, rms: report.distance.rms, gap: report.seamGap };
  };

  it('close seams: the gap falls to a twentieth and the surface stays as true as it was', async () => {
    const low = cube();
    const sculpt = onSphere(refineLevels(low, 6).mesh, 1);
    const plain = await prove(low, sculpt, 'limit', {});
    const matched = await prove(low, sculpt, 'limit', { matchSeams: true });
    expect(plain.fit).toBeNull();
    expect(matched.gap.rms).toBeLessThan(0.05 * plain.gap.rms);
    expect(matched.gap.max).toBeLessThan(0.1 * plain.gap.max);
    expect(matched.rms).toBeLessThan(plain.rms);
    expect(matched.fit?.after).toBeLessThan(0.2 * (matched.fit?.before ?? 0));
  });

  it('fitted texels halve the distance of a wavy plane', async () => {
    const wave = plane(128, 1, (x, y) => 0.03 * Math.sin(31 * x) * Math.cos(27 * y));
    const plain = await prove(plane(2), wave, 'polygons', {});
    const fitted = await prove(plane(2), wave, 'polygons', { fitTexels: true });
    expect(fitted.rms).toBeLessThan(0.55 * plain.rms);
    expect(fitted.fit?.after).toBeLessThan(0.5 * (fitted.fit?.before ?? 0));
  });

  it('leave a plane exactly as it is', async () => {
    const span = prepareSpan(plane(2), plane(8, 1, 0.25), { width: 32, height: 32, fitTexels: true, matchSeams: true });
    const { fields, fit } = await extractTile(span, 1001);
    expect(fit?.before).toBeLessThan(1e-7);
    for (const d of fields.get('scalar')?.values ?? []) expect(d).toBeCloseTo(0.25, 6);
  });
});
