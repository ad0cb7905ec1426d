import type { ExtractOptions, PolyMesh, Raster } from '../src';
import { extractTile, prepareSpan, proveDisplacement, refineLevels } from '../src';
import { BilinearFit } from '../src/extract/bilinear-fit';
import type { WantedReads } from '../src/extract/bilinear-fit';
import { sampleRaster } from '../src/raster/sample';
import { cube, onSphere, plane, random } from './shapes';

const readsOf = (places: readonly (readonly [number, number])[], wanted: (u: number, v: number) => readonly number[]): WantedReads => ({
  each: (visit) => places.forEach(([u, v]) => visit(u, v, 1, wanted(u, v))),
});

describe('bilinear fit', () => {
  it('finds the texels that give the wanted reads, and leaves the rest alone', () => {
    const [W, H] = [9, 7];
    const next = random(3);
    const truth: Raster = { width: W, height: H, channels: 1, values: Float32Array.from({ length: W * H }, () => next()) };
    const places = Array.from({ length: 2000 }, () => [0.6 * next(), next()] as const);
    const fit = new BilinearFit(
      W,
      H,
      readsOf(places, (u, v) => [sampleRaster(truth, 0, u, v, 'bilinear')]),
    );
    const values = new Float32Array(W * H).fill(0.5);
    expect(fit.residual(values, 1).rms).toBeGreaterThan(0.1);
    fit.solveInPlace(values, 1, () => 1e-9);
    expect(fit.residual(values, 1)).toMatchObject({ reads: 2000 });
    expect(fit.residual(values, 1).rms).toBeLessThan(1e-5);
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < 5; x++) expect(values[y * W + x]).toBeCloseTo(truth.values[y * W + x], 3);
      expect(values[y * W + 8]).toBe(0.5);
    }
  });

  it('with one read is the closed form: the change is the weights over their squares', () => {
    const fit = new BilinearFit(
      2,
      2,
      readsOf([[0.5, 0.5]], () => [1]),
    ); // weights 1/4 each
    const values = new Float32Array(4);
    fit.solveInPlace(values, 1, () => 1e-6);
    for (const v of values) expect(v).toBeCloseTo(1, 4);
  });

  it('loses nothing far from zero, and tells what is true: the same reads around 0 and around 100', () => {
    const [W, H] = [24, 24];
    const places = Array.from({ length: 4 * W * H }, (_, i) => [((i % (2 * W)) + 0.5) / (2 * W), (Math.floor(i / (2 * W)) + 0.5) / (2 * H)] as const); // prettier-ignore
    const wave = (u: number, v: number): number => 1e-3 * Math.sin(17 * u) * Math.cos(23 * v);
    const tried = (offset: number) => {
      const fit = new BilinearFit(
        W,
        H,
        readsOf(places, (u, v) => [offset + wave(u, v)]),
      );
      const values = Float32Array.from({ length: W * H }, (_, i) => offset + wave(((i % W) + 0.5) / W, 1 - (Math.floor(i / W) + 0.5) / H));
      const truth = (): number => Math.sqrt(places.reduce((s, [u, v]) => s + (sampleRaster({ width: W, height: H, channels: 1, values }, 0, u, v, 'bilinear') - offset - wave(u, v)) ** 2, 0) / places.length); // prettier-ignore
      const before = [fit.residual(values, 1).rms, truth()];
      fit.solveInPlace(values, 1, () => 0.02);
      return { before, after: [fit.residual(values, 1).rms, truth()] };
    };
    const [near, far] = [tried(0), tried(100)];
    for (const { before, after } of [near, far]) {
      expect(Math.abs(before[0] / before[1] - 1)).toBeLessThan(0.01);
      expect(Math.abs(after[0] / after[1] - 1)).toBeLessThan(0.01);
    }
    expect(near.after[1]).toBeLessThan(0.75 * near.before[1]);
    // single precision at 100 ends at 4e-6
    expect(far.after[1]).toBeLessThan(near.after[1] + 5e-6);
  });
});

describe('fitted maps', () => {
  const prove = async (low: PolyMesh, sculpt: PolyMesh, base: 'limit' | 'polygons', options: Partial<ExtractOptions>) => {
    const span = prepareSpan(low, sculpt, { width: 96, height: 96, base, ...options });
    const { fields, fits } = await extractTile(span, 1001);
    const maps = new Map([[1001, fields.get('scalar') as Raster]]);
    const { report } = await proveDisplacement({ low, sculpt, maps }, { subdivisions: 6, base });
    return { fit: fits.get('scalar'), rms: report.distance.rms, gap: report.seamGap };
  };

  it('close seams: the gap falls to a twentieth and the surface stays as true as it was', async () => {
    const low = cube();
    const sculpt = onSphere(refineLevels(low, 6).mesh, 1);
    const plain = await prove(low, sculpt, 'limit', {});
    const matched = await prove(low, sculpt, 'limit', { matchSeams: true });
    expect(plain.fit).toBeUndefined();
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
    const { fields, fits } = await extractTile(span, 1001);
    expect(fits.get('scalar')?.before).toBeLessThan(1e-7);
    for (const d of fields.get('scalar')?.values ?? []) expect(d).toBeCloseTo(0.25, 6);
  });
});
