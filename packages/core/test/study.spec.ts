import type { Field, PolyMesh } from '../src';
import {
  adviseOnProof,
  decodeMap,
  encodeField,
  errorParts,
  extractTile,
  kneeOf,
  movedFinding,
  movedPoints,
  prepareSpan,
  proveDisplacement,
  refineLevels,
  stackBounds,
  sweepSubdivisions,
} from '../src';
import { cube, onSphere, plane } from './shapes';

/** A cube whose fourth level lies on a sphere with ripples: smooth, but finer than the grid of a small map. */
const low = cube();
const sculpt: PolyMesh = (() => {
  const ball = onSphere(refineLevels(low, 4).mesh, 1);
  const positions = ball.positions.slice();
  for (let i = 0; i < positions.length; i += 3) {
    const k = 1 + 0.01 * Math.sin(14 * positions[i]) * Math.sin(14 * positions[i + 1]);
    for (let c = 0; c < 3; c++) positions[i + c] *= k;
  }
  return { ...ball, positions };
})();

async function fieldsOf(size: number, kind: 'scalar' | 'vector'): Promise<Map<number, Field>> {
  const span = prepareSpan(low, sculpt, { width: size, height: size, maps: [kind], vectorFrame: 'object', match: 'stack' });
  return new Map([[1001, (await extractTile(span, 1001)).fields.get(kind) as Field]]);
}

describe('error by cause', () => {
  it('is nothing for the sculpt itself, only the grid for exact offsets, and falls with the grid', async () => {
    const options = { subdivisions: 4, base: 'limit', surface: { boundary: 'edge-and-corner', uv: 'linear' }, filter: 'bilinear' } as const;
    const coarse = await stackBounds({ low, sculpt, offsets: await fieldsOf(64, 'vector') }, options);
    const fine = await stackBounds({ low, sculpt, offsets: await fieldsOf(256, 'vector') }, options);
    expect(coarse.exactPoints).toBeLessThan(1e-6);
    expect(fine.samplingBound).toBeLessThan(0.35 * coarse.samplingBound);
    // with two levels fewer, what the points cannot follow
    const few = await stackBounds({ low, sculpt, offsets: await fieldsOf(64, 'vector') }, { ...options, subdivisions: 2 });
    expect(few.exactPoints).toBeGreaterThan(10 * coarse.samplingBound);
    expect(few.samplingBound).toBeGreaterThanOrEqual(0.9 * few.exactPoints);
  });

  it('adds up in squares to the written file, and names rounding where a map is stored coarsely', async () => {
    const fields = await fieldsOf(256, 'scalar');
    const encoding = { depth: '8', midpoint: 128 / 255, scale: 4 } as const;
    const field = fields.get(1001) as Field;
    const written = decodeMap(encodeField(field, encoding, null));
    const proof = await proveDisplacement({ low, sculpt, maps: new Map([[1001, written]]), fields }, { subdivisions: 4 });
    const bounds = await stackBounds(
      { low, sculpt, offsets: await fieldsOf(256, 'vector') },
      { subdivisions: 4, base: 'limit', surface: { boundary: 'edge-and-corner', uv: 'linear' }, filter: 'bilinear' },
    );
    const unencoded = proof.report.unencoded?.rms ?? 0;
    const parts = errorParts({ ...bounds, unencoded, written: proof.report.distance.rms });
    expect(Math.hypot(...Object.values(parts).map((x: number | null) => x ?? 0))).toBeGreaterThan(0.99 * proof.report.distance.rms);
    expect(parts.encoding).toBeGreaterThan(0.9 * proof.report.distance.rms);
    expect(adviseOnProof(proof.report, 'mm').map((a) => a.code)).toEqual(['encoding']);
    expect(errorParts({ exactPoints: null, samplingBound: null, unencoded, written: 1 })).toMatchObject({ sampling: null, search: null });
  });
});

describe('sweep over subdivisions', () => {
  it('agrees with single proofs, falls, and marks where more gains nothing', async () => {
    const fields = await fieldsOf(128, 'scalar');
    const points = await sweepSubdivisions({ low, sculpt, maps: fields }, [1, 2, 3, 4, 5]);
    expect(points.map((p) => p.faces)).toEqual([24, 96, 384, 1536, 6144]);
    const { report } = await proveDisplacement({ low, sculpt, maps: fields }, { subdivisions: 3 });
    expect(points[2]).toMatchObject({ rms: report.distance.rms, p99: report.distance.p99, max: report.distance.max });
    expect(points[3].rms).toBeLessThan(0.6 * points[1].rms);
    const knee = kneeOf(points) ?? 0;
    const best = Math.min(...points.map((p) => p.rms));
    expect(points[knee - 1].rms).toBeLessThanOrEqual(1.1 * best);
    expect(points.slice(0, knee - 1).every((p) => p.rms > 1.1 * best)).toBe(true);
    expect(kneeOf([])).toBeNull();
  });
});

describe('worst places', () => {
  it('finds bumps that a map leaves out, one place a bump, largest first', async () => {
    const bumps = [[0.25, 0.25, 0.2], [0.7, 0.6, 0.1]] as const; // prettier-ignore
    const bumpy = plane(64, 1, (x, y) => bumps.reduce((h, [u, v, a]) => h + a * Math.exp(-900 * ((x - u) ** 2 + (y - v) ** 2)), 0));
    const nothing: Field = { width: 8, height: 8, channels: 1, values: new Float32Array(64), coverage: new Uint8Array(64).fill(1) };
    const { worst, report } = await proveDisplacement(
      { low: plane(4), sculpt: bumpy, maps: new Map([[1001, nothing]]) },
      { subdivisions: 4, tolerance: 0.01 },
    );
    for (const [i, [x, y, height]] of bumps.entries()) {
      const place = worst.find((w) => Math.hypot(w.position[0] - x, w.position[1] - y) < 0.02);
      expect(Math.abs(place?.error ?? 0)).toBeGreaterThan(0.6 * height);
      if (i === 0) expect(worst[0]).toBe(place);
    }
    expect(worst.map((w) => Math.abs(w.error))).toEqual([...worst.map((w) => Math.abs(w.error))].sort((a, b) => b - a));
    for (const [i, a] of worst.entries())
      for (const b of worst.slice(i + 1))
        expect(Math.hypot(...a.position.map((p, k) => p - b.position[k]))).toBeGreaterThanOrEqual(0.019 * report.diagonal);
  });
});

describe('what a height map cannot do', () => {
  it('is said of overhangs, in words that lead on, and not of a plain relief', async () => {
    // a mushroom pulled out of a plane: the sides under its cap see no light along z
    const flat = plane(48);
    const positions = flat.positions.slice();
    for (let i = 0; i < positions.length; i += 3) {
      const [dx, dy] = [positions[i] - 0.5, positions[i + 1] - 0.5];
      const r = Math.hypot(dx, dy);
      if (r >= 0.3 || r === 0) continue;
      const t = 1 - r / 0.3;
      const wide = t < 0.4 ? 0.3 - 0.5 * t : 0.1 + 0.22 * Math.sin((Math.PI * (t - 0.4)) / 0.6);
      positions[i] = 0.5 + (dx / r) * wide * (1 - t ** 8);
      positions[i + 1] = 0.5 + (dy / r) * wide * (1 - t ** 8);
      positions[i + 2] = 0.35 * Math.min(1, t / 0.7);
    }
    const mushroom = { ...flat, positions };
    const prove = async (top: PolyMesh) => {
      const span = prepareSpan(plane(3), top, { width: 128, height: 128, base: 'polygons', match: 'rays' });
      const field = (await extractTile(span, 1001)).fields.get('scalar') as Field;
      const maps = new Map([[1001, field]]);
      return (
        await proveDisplacement({ low: plane(3), sculpt: top, maps, fields: maps }, { subdivisions: 5, base: 'polygons', tolerance: 0.004 })
      ).report;
    };
    const [advice] = adviseOnProof(await prove(mushroom), 'cm');
    expect(advice.code).toBe('overhangs');
    expect(advice.message).toMatch(/% of the sculpt is not reached.*cm.*vector displacement/);
    const relief = plane(48, 1, (x, y) => 0.02 * Math.sin(9 * x) * Math.sin(7 * y));
    expect(adviseOnProof(await prove(relief), 'cm').map((a) => a.code)).not.toContain('overhangs');
  });
});

describe('a light mesh that comes again', () => {
  it('is compared point by point: how many, how far, where, and which UVs', () => {
    const before = plane(4);
    const positions = before.positions.slice();
    positions[3 * 6 + 2] = 0.5;
    const after = { ...before, positions };
    expect(movedPoints(before, after)).toMatchObject({ count: 1, max: 0.5, farthest: 6, faces: [0, 1, 4, 5], uvCorners: 0 });
    expect(movedFinding(before, after, 'mm')).toMatchObject({
      code: 'points-moved',
      message: expect.stringMatching(/^1 point moved by up to 0\.5 mm \(35 % of the diagonal\), farthest at 0\.25 0\.25 0\.5\./) as string,
    });
    expect(movedFinding(before, before)).toBeNull();
    const uvs = (before.uvs as Float32Array).slice();
    uvs[0] = 0.01;
    expect(movedFinding(before, { ...before, uvs })?.message).toMatch(/^No point has moved; UVs differ at 1 corner\./);
  });
  it('has no counterpart when it is another mesh or another order', () => {
    const before = plane(4);
    expect(movedPoints(before, plane(5))).toBeNull();
    const turned = { ...before, faceVerts: before.faceVerts.slice().reverse() };
    expect(movedPoints(before, turned)).toBeNull();
  });
});
