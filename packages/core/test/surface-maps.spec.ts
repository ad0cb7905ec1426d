import type { ExtractOptions, Field, MapKind, PolyMesh } from '../src';
import { adviseOnRadius, BlockQuery, encodeMap, extractTile, fieldRecord, fitEncoding, MAP_KIND_NAMES, PLAIN_ORDER, prepareSpan, radiusEdgesOf, refineLevels, triangulate, triangleVerts, writtenRecord } from '../src'; // prettier-ignore
import { buildBvh } from '../src/spatial/bvh';
import { meanCurvature } from '../src/extract/mean-curvature';
import { lightOfSrgb, shadeColoursInPlace, srgbOfLight } from '../src/extract/shade-colours';
import { extentOf } from '../src/mesh/bounds';
import { curvatureMeasure } from '../src/mesh/curvature-measure';
import { cube, onSphere, plane, random, torus } from './shapes';

async function measure(low: PolyMesh, sculpt: PolyMesh, options: Partial<ExtractOptions>) {
  const span = prepareSpan(low, sculpt, { width: 32, height: 32, ...options });
  const { fields, rays } = await extractTile(span, 1001);
  const of = (kind: MapKind): Field => fields.get(kind) as Field;
  return { span, fields, rays, of };
}
describe('one mesh alone', () => {
  const ball = onSphere(refineLevels(cube(), 4).mesh, 2);
  it('has the values of its surface: all open, bent by 1 / r, 2 r through at most', async () => {
    const { of, span } = await measure(ball, ball, {
      maps: ['occlusion', 'curvature', 'thickness', 'normal'],
      frame: 'object',
      radius: 0.6,
      thicknessDistance: 10,
    });
    expect(span.levels).toBe(0);
    const inside = (field: Field): number[] => [...field.values].filter((_, i) => field.coverage[Math.floor(i / field.channels)] === 1);
    for (const v of inside(of('curvature'))) expect(Math.abs(v - 0.5)).toBeLessThan(0.01);
    for (const v of inside(of('occlusion'))) expect(v).toBeGreaterThan(0.95);
    for (const v of inside(of('thickness'))) expect(Math.abs(v - 4)).toBeLessThan(0.05);
    // asked for where a height map puts the surface, or by rays, it is read where it is: no ray misses a surface that is not flat
    for (const more of [{ normalsForHeights: true }, { match: 'rays' }] as const) {
      const again = await measure(ball, ball, { maps: ['curvature'], radius: 0.6, ...more });
      expect(again.of('curvature').coverage.some((c) => c === 3)).toBe(false);
    }
  });
  it('has no difference from itself, which is said of the map that would be empty', () => {
    expect(() => prepareSpan(ball, ball, { maps: ['occlusion', 'scalar'] })).toThrow(/so the scalar map would be empty/);
    expect(() => prepareSpan(ball, ball, { maps: ['normal'] })).toThrow(/so the normal map would be empty/);
  });
});

describe('the radius of curvature', () => {
  it('is told in edges of the sculpt, and warned of below three', async () => {
    const sculpt = plane(16, 1, 0.2); // edges of a sixteenth
    const edges = async (radius: number) => radiusEdgesOf((await measure(plane(2), sculpt, { maps: ['hollows'], radius })).span, 'hollows');
    expect(await edges(0.25)).toBeCloseTo(4, 5);
    expect(adviseOnRadius(4)).toBeNull();
    expect(adviseOnRadius(await edges(0.125))).toMatch(/^the radius spans 2 edges/);
    expect(radiusEdgesOf((await measure(plane(2), sculpt, { maps: ['scalar'] })).span, 'scalar')).toBeNull();
  });
});

describe('colours darkened by another map', () => {
  const one = (values: number[], channels: 1 | 3): Field => ({
    width: 1,
    height: 1,
    channels,
    values: Float32Array.from(values),
    coverage: Uint8Array.of(1),
  });
  const shaded = (by: 'occlusion' | 'hollows', shade: number, strength: number, space: 'sRGB' | 'linear'): number[] => {
    const colours = one([0.5, 0, 1], 3);
    shadeColoursInPlace(colours, one([shade], 1), { by, strength, space });
    return [...colours.values];
  };
  it('loses light in proportion: nothing where all is open or the strength is 0, half the light at half, all at full', () => {
    for (const space of ['sRGB', 'linear'] as const) {
      for (const [by, open] of [['occlusion', 1], ['hollows', 0]] as const) shaded(by, open, 1, space).forEach((x, k) => expect(x).toBeCloseTo([0.5, 0, 1][k], 6)); // prettier-ignore
      shaded('occlusion', 0.2, 0, space).forEach((x, k) => expect(x).toBeCloseTo([0.5, 0, 1][k], 6));
      expect(shaded('hollows', 3, 1, space)).toEqual([0, 0, 0]);
    }
    expect(shaded('occlusion', 0, 0.5, 'linear')).toEqual([0.25, 0, 0.5]);
    // half the light of mid grey and of white, by the standard's own curve
    const [grey, , white] = shaded('occlusion', 0, 0.5, 'sRGB');
    expect(white).toBeCloseTo(0.735357, 5);
    expect(lightOfSrgb(grey)).toBeCloseTo(lightOfSrgb(0.5) / 2, 6);
    for (let c = 0; c <= 1; c += 1 / 64) expect(srgbOfLight(lightOfSrgb(c))).toBeCloseTo(c, 6);
  });
  it('are asked for together with what darkens them', () => {
    const shade = { by: 'occlusion', strength: 0.5, space: 'sRGB' } as const;
    expect(() => prepareSpan(plane(2), plane(4, 1, 0.1), { maps: ['colour'], shade })).toThrow(/ask for both maps/);
  });
});

const at = (field: Field, x: number, y: number): number => field.values[y * field.width + x];

const inverted = (mesh: PolyMesh): PolyMesh => {
  const faceVerts = mesh.faceVerts.slice();
  for (let f = 0; f < faceVerts.length; f += 4) faceVerts.subarray(f, f + 4).reverse();
  return { ...mesh, faceVerts };
};

/** Two meshes as one; the second keeps no UVs of its own, so only the sculpt side can hold them. */
function together(a: PolyMesh, b: PolyMesh): PolyMesh {
  const positions = new Float32Array(a.positions.length + b.positions.length);
  positions.set(a.positions);
  positions.set(b.positions, a.positions.length);
  const faceVerts = new Uint32Array(a.faceVerts.length + b.faceVerts.length);
  faceVerts.set(a.faceVerts);
  faceVerts.set(b.faceVerts.map((v) => v + a.positions.length / 3), a.faceVerts.length); // prettier-ignore
  const faces = faceVerts.length / 4;
  return { ...a, positions, faceVerts, faceOffsets: Uint32Array.from({ length: faces + 1 }, (_, i) => 4 * i), uvs: null, faceUvs: null, faceSections: new Uint16Array(faces) };
} // prettier-ignore

describe('openness', () => {
  const ground = plane(4, 4, 0.001);
  /** A square plate over the middle of the ground, facing up like it. */
  const plate = (size: number, height: number): PolyMesh => {
    const flat = plane(2, size, height);
    return { ...flat, positions: flat.positions.map((v, i) => (i % 3 === 2 ? v : v + 2 - size / 2)) };
  };
  /** Cosine-weighted share of the hemisphere behind a square of side 2 a, parallel, at height h over its middle. */
  const behindSquare = (a: number, h: number): number => (4 / Math.PI) * (a / Math.hypot(a, h)) * Math.atan(a / Math.hypot(a, h));

  it('is 1 in the open and the closed form under a plate', async () => {
    const open = await measure(plane(1, 4), ground, { maps: ['occlusion'], match: 'rays' });
    expect([...open.of('occlusion').values].every((v) => v === 1)).toBe(true);
    const sculpt = together(ground, plate(1, 0.8));
    const options = { maps: ['occlusion'] as const, match: 'rays' as const, width: 33, height: 33, occlusionRays: 1024, reach: 0.1 };
    const { of, rays } = await measure(plane(1, 4), sculpt, options);
    expect(at(of('occlusion'), 16, 16)).toBeCloseTo(1 - behindSquare(0.5, 0.8), 2);
    // one along the normal, 1024 over the hemisphere; three rows lie beside both bands, which look at two rows around them
    expect(rays).toBe(33 * 33 * 1025 + 3 * 33);
    // nothing blocks from farther than the distance
    const near = await measure(plane(1, 4), sculpt, { ...options, occlusionDistance: 0.7 });
    expect(at(near.of('occlusion'), 16, 16)).toBe(1);
  });

  it('depends on the seed and the place only, and noise falls as rays are added', async () => {
    const sculpt = together(ground, plate(1, 0.8));
    const wanted = 1 - behindSquare(0.5, 0.8);
    const run = async (occlusionRays: number, seed: number): Promise<number> =>
      at((await measure(plane(1, 4), sculpt, { maps: ['occlusion'], match: 'rays', width: 33, height: 33, occlusionRays, seed, reach: 0.1 })).of('occlusion'), 16, 16); // prettier-ignore
    expect(await run(16, 3)).toBe(await run(16, 3));
    const spread = async (rays: number): Promise<number> => {
      const off = await Promise.all([1, 2, 3, 4, 5, 6, 7, 8].map(async (seed) => (await run(rays, seed)) - wanted));
      return Math.sqrt(off.reduce((s, d) => s + d * d, 0) / off.length);
    };
    expect(await spread(256)).toBeLessThan(0.35 * (await spread(16)));
  });

  it('is as near to the truth with rays shared between neighbours, from a fifth of the rays, whatever the samples', async () => {
    const bumps = plane(64, 4, (x, y) => 0.12 * Math.sin(9 * x + 2 * Math.sin(3 * y)) * Math.cos(8 * y));
    const look = (width: number, more: Partial<ExtractOptions>) =>
      measure(plane(1, 4), bumps, { maps: ['occlusion'], match: 'rays', width, height: width, reach: 0.3, padding: 0, ...more });
    // the middle of a coarse texel is that of the middle one of five by five
    const [coarse, n] = [80, 400];
    const truth = (await look(coarse, { occlusionRays: 1024, shareRays: false })).of('occlusion');
    const off = (of: (x: number, y: number) => number): number => {
      let square = 0;
      for (let y = 0; y < coarse; y++) for (let x = 0; x < coarse; x++) square += (of(x, y) - at(truth, x, y)) ** 2;
      return Math.sqrt(square) / coarse;
    };
    const plain = (await look(coarse, { shareRays: false })).of('occlusion');
    const shared = await look(n, {});
    const [alone, together] = [off((x, y) => at(plain, x, y)), off((x, y) => at(shared.of('occlusion'), 5 * x + 2, 5 * y + 2))];
    expect(alone).toBeGreaterThan(0.005);
    expect(together).toBeLessThan(1.1 * alone);
    expect(shared.rays).toBeLessThan((65 / 5) * n * n);
    // another seed errs otherwise, so that several make a better one: 0.87 of the errors went together where seeds shared their directions
    const other = (await look(n, { seed: 2 })).of('occlusion');
    let [both, one, two] = [0, 0, 0];
    for (let y = 0; y < coarse; y++)
      for (let x = 0; x < coarse; x++) {
        const [a, b] = [shared.of('occlusion'), other].map((f) => at(f, 5 * x + 2, 5 * y + 2) - at(truth, x, y));
        both += a * b;
        one += a * a;
        two += b * b;
      }
    expect(both / Math.sqrt(one * two)).toBeLessThan(0.3);
    // each of five by five samples of a texel is one of the finer map
    const five = (await look(coarse, { samples: 5 })).of('occlusion');
    let mean = 0;
    for (let i = 0; i < 25; i++) mean += at(shared.of('occlusion'), 150 + (i % 5), 165 + Math.floor(i / 5)) / 25;
    expect(at(five, 30, 33)).toBeCloseTo(mean, 6);
  });

  it('agrees with testing every triangle', () => {
    const ball = onSphere(refineLevels(cube(), 3).mesh, 1);
    const verts = triangleVerts(ball, triangulate(ball));
    const query = new BlockQuery(buildBvh(ball.positions, verts));
    const next = random(5);
    let met = 0;
    for (let i = 0; i < 2000; i++) {
      const o = [3 * next() - 1.5, 3 * next() - 1.5, 3 * next() - 1.5] as const;
      const d = [next() - 0.5, next() - 0.5, next() - 0.5] as const;
      const tMax = 1 + 4 * next();
      let expected = false;
      for (let t = 0; t < verts.length && !expected; t += 3) expected = meets(ball.positions, verts.subarray(t, t + 3), o, d, tMax);
      expect(query.blocked(...o, ...d, tMax)).toBe(expected);
      if (expected) met++;
    }
    expect(met).toBeGreaterThan(300);
    expect(met).toBeLessThan(1700);
  });
});

describe('thickness', () => {
  const low = plane(1, 4);
  const top = plane(4, 4, 0.001);
  const options = { maps: ['thickness'] as const, match: 'rays' as const, width: 33, height: 33, reach: 0.1 };
  // below it, a floor that falls along x
  const wedge = together(top, inverted(plane(8, 4, (x) => -0.2 - 0.1 * x)));
  const through = (column: number): number => 0.201 + (0.1 * 4 * (column + 0.5)) / 33;

  it('is the way to the other side, at most the distance, and says which', async () => {
    const { of, span } = await measure(low, wedge, { ...options, thicknessDistance: 0.5 });
    for (const x of [0, 9, 20, 32]) expect(at(of('thickness'), x, 16)).toBeCloseTo(Math.min(0.5, through(x)), 5);
    const record = fieldRecord(span, 'thickness', 1001, of('thickness'), { unit: 'mm', lowHash: '' });
    expect(writtenRecord(record)).toMatchObject({ kind: 'thickness', distance: 0.5, normalSource: 'hit', rays: null, radius: null });
    // left alone, it looks through a tenth of the sculpt's extent
    const alone = await measure(low, wedge, options);
    const distance = Math.max(...alone.of('thickness').values);
    expect(distance).toBeCloseTo(extentOf(wedge.positions) / 10, 6);
    expect(at(alone.of('thickness'), 9, 16)).toBeCloseTo(through(9), 5);
  });

  it('passes layers that face against the ray, and is the distance where there is no other side', async () => {
    const filled = together(wedge, plane(4, 4, -0.1)); // another top inside
    const { of } = await measure(low, filled, { ...options, thicknessDistance: 2 });
    expect(at(of('thickness'), 20, 16)).toBeCloseTo(through(20), 5);
    const open = await measure(low, top, { ...options, thicknessDistance: 2 });
    expect([...open.of('thickness').values].every((t) => t === 2)).toBe(true);
  });

  it('of a box is its height, in a stack as by rays, and its rest is the distance', async () => {
    const cage = cube();
    const { mesh } = refineLevels(cage, 3);
    const far = (i: number): number => Math.max(...mesh.positions.subarray(i - (i % 3), i - (i % 3) + 3).map(Math.abs));
    const box = { ...mesh, positions: mesh.positions.map((x, i) => (1.2 * x) / far(i)) };
    for (const match of ['stack', 'rays'] as const) {
      const { of, span } = await measure(cage, box, { maps: ['thickness'], match, base: 'polygons', width: 66, height: 66, padding: 0, thicknessDistance: 3 }); // prettier-ignore
      const field = of('thickness');
      const middles = [11, 33, 55].flatMap((x) => [16, 49].map((y) => at(field, x, y)));
      for (const middle of middles) expect(middle).toBeCloseTo(2.4, 4);
      const record = fieldRecord(span, 'thickness', 1001, field, { unit: 'mm', lowHash: '' });
      const wish = { kind: 'thickness', depth: '16', fit: null, midpoint: null, scale: null, axes: PLAIN_ORDER, each: false } as const;
      expect(fitEncoding([field], wish)).toMatchObject({ midpoint: 0, scale: Math.max(...field.values) });
      const { map } = encodeMap(field, record, { depth: 'float', midpoint: 0, scale: 1 }, null);
      expect(map.stored[field.coverage.indexOf(0)]).toBe(3);
    }
  });
});

/** Moeller and Trumbore 1997. */
function meets(p: Float32Array, [a, b, c]: Uint32Array, o: readonly number[], d: readonly number[], tMax: number): boolean {
  const sub = (i: number, q: readonly number[] | Float32Array): number[] => [0, 1, 2].map((k) => p[3 * i + k] - q[k]);
  const cross = (x: readonly number[], y: readonly number[]): number[] => [x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]]; // prettier-ignore
  const dot = (x: readonly number[], y: readonly number[]): number => x[0] * y[0] + x[1] * y[1] + x[2] * y[2];
  const origin = p.subarray(3 * a, 3 * a + 3);
  const [e1, e2] = [sub(b, origin), sub(c, origin)];
  const h = cross(d, e2);
  const det = dot(e1, h);
  if (det === 0) return false;
  const s = [0, 1, 2].map((k) => o[k] - origin[k]);
  const u = dot(s, h) / det;
  const q = cross(s, e1);
  const v = dot(d, q) / det;
  const t = dot(e2, q) / det;
  return u >= 0 && v >= 0 && u + v <= 1 && t > 0 && t <= tMax;
}

describe('mean curvature', () => {
  it('of a sphere of radius R is 1 / R outside and -1 / R inside, over any small ball', () => {
    const ball = onSphere(refineLevels(cube(), 5).mesh, 2);
    // edges are about 0.1 long: three of them make a smooth ball
    for (const [radius, digits] of [
      [0.3, 1],
      [0.6, 2],
    ] as const) {
      const outside = meanCurvature(ball, radius);
      for (const h of outside) expect(h).toBeCloseTo(0.5, digits);
      expect(meanCurvature(inverted(ball), radius)[7]).toBeCloseTo(-outside[7], 5);
    }
  });

  it('sums to the closed form: 4 pi R over a sphere, 3 pi a over a cube, 2 pi squared R over a torus', () => {
    const total = (mesh: PolyMesh): number => curvatureMeasure(mesh).curvature.reduce((a, b) => a + b, 0);
    expect(total(onSphere(refineLevels(cube(), 5).mesh, 3))).toBeCloseTo(12 * Math.PI, 1);
    expect(total(cube(1))).toBeCloseTo(6 * Math.PI, 10);
    expect(total(torus(3, 1, 128)) / (2 * Math.PI ** 2 * 3)).toBeCloseTo(1, 3);
    expect(total(plane(4))).toBe(0);
  });

  it('of a torus follows (R + 2 r cos b) / (2 r (R + r cos b))', () => {
    const [R, r, n] = [3, 1, 256];
    const H = meanCurvature(torus(R, r, n), 0.12);
    const expected = (b: number): number => (R + 2 * r * Math.cos(b)) / (2 * r * (R + r * Math.cos(b)));
    for (const j of [0, 32, 64, 100, 128]) expect(H[j * n + 11]).toBeCloseTo(expected((2 * Math.PI * j) / n), 1);
    expect(H[128 * n]).toBeLessThan(0.3); // the inner rim: 1/4
    expect(H[0]).toBeGreaterThan(0.55); // the outer one: 5/8
  });

  it('is averaged over the ball: a fold carries its angle, spread over the ball', () => {
    const roof = plane(64, 2, (x) => -Math.abs(x - 1));
    const radius = 0.25;
    // a right angle along a length of 2 radius: pi/4 * 2 radius of curvature, on two half discs
    const H = meanCurvature(roof, radius)[32 * 65 + 32];
    expect(H).toBeCloseTo((Math.PI / 4) * ((2 * radius) / (Math.PI * radius ** 2)), 0);
    expect(meanCurvature(roof, radius)[32 * 65 + 8]).toBeCloseTo(0, 9);
  });
});

describe('one pass', () => {
  const low = cube();
  const sculpt: PolyMesh = (() => {
    const ball = onSphere(refineLevels(low, 3).mesh, 1.2);
    return { ...ball, colors: ball.positions.map((x) => 0.5 + x / 2.4) };
  })();

  it('measures every kind by one search, and each as it would alone', async () => {
    const options: Partial<ExtractOptions> = { base: 'polygons', occlusionRays: 8, radius: 0.3 };
    const together = await measure(low, sculpt, { ...options, maps: MAP_KIND_NAMES });
    expect([...together.fields.keys()]).toEqual([...MAP_KIND_NAMES]);
    const alone = await Promise.all(
      MAP_KIND_NAMES.map(async (kind) => (await measure(low, sculpt, { ...options, maps: [kind], normalsForHeights: true })).of(kind)),
    );
    for (const [i, kind] of MAP_KIND_NAMES.entries()) expect(together.of(kind)).toEqual(alone[i]);
    const covered = together.of('scalar').coverage.filter((c) => c === 1).length;
    expect(together.rays).toBeLessThan(1.3 * 9 * covered); // one along the normal, eight for occlusion, and second looks
  });

  it('reads colours as they are stored, and flattens what bulges out of hollows', async () => {
    const { of, span } = await measure(low, sculpt, {
      maps: ['vector', 'colour', 'hollows', 'curvature'],
      vectorFrame: 'object',
      radius: 0.3,
    });
    const colour = of('colour');
    const vector = of('vector');
    const { positions } = span.base.mesh;
    expect(positions.length).toBeGreaterThan(0);
    let checked = 0;
    for (let i = 0; i < colour.coverage.length; i++) {
      if (colour.coverage[i] !== 1) continue;
      checked++;
      for (let k = 0; k < 3; k++) expect(Math.abs(colour.values[3 * i + k] - 0.5)).toBeLessThanOrEqual(0.5);
      expect(of('hollows').values[i]).toBe(0);
      expect(Math.abs(of('curvature').values[i] * 1.2 - 1)).toBeLessThan(0.1);
    }
    expect(checked).toBeGreaterThan(400);
    expect(vector.coverage).toEqual(colour.coverage);
    const record = fieldRecord(span, 'colour', 1001, colour, { unit: 'mm', lowHash: '', colourSpace: 'linear' });
    expect(writtenRecord(record)).toMatchObject({ kind: 'colour', colourSpace: 'linear', normalSource: 'parameter', radius: null });
    expect(writtenRecord(fieldRecord(span, 'hollows', 1001, of('hollows'), { unit: 'mm', lowHash: '' }))).toMatchObject({
      radius: 0.3,
      colourSpace: null,
    });
  });

  it('stores openness and colours from 0 to 1, hollows over their full range, open where nothing is', async () => {
    const { of, span } = await measure(low, sculpt, { maps: ['occlusion', 'hollows'], occlusionRays: 8, padding: 0, radius: 0.3 });
    const record = fieldRecord(span, 'occlusion', 1001, of('occlusion'), { unit: 'mm', lowHash: '' });
    const wish = { depth: '8', fit: null, midpoint: null, scale: null, axes: PLAIN_ORDER, each: false } as const;
    const encoding = fitEncoding([of('occlusion')], { ...wish, kind: 'occlusion' });
    expect(encoding).toEqual({ depth: '8', midpoint: 0, scale: 1 });
    const { map, figures } = encodeMap(of('occlusion'), record, encoding, null);
    const outside = of('occlusion').coverage.indexOf(0);
    expect(outside).toBeGreaterThanOrEqual(0);
    expect(map.stored[outside]).toBe(255);
    expect(figures.restError).toBe(0);
    expect(record).toMatchObject({ rays: 8, seed: 1, distance: null });
  });

  it('says which sculpt has no colours', () => {
    expect(() => prepareSpan(low, { ...sculpt, colors: null }, { maps: ['colour'] })).toThrow(
      expect.objectContaining({ code: 'NO_COLOURS' }) as Error,
    );
    expect(() => prepareSpan(low, sculpt, { maps: ['curvature'], radius: 0 })).toThrow(
      expect.objectContaining({ code: 'BAD_OPTION' }) as Error,
    );
    expect(() => prepareSpan(low, sculpt, { maps: ['occlusion', 'occlusion'] })).toThrow(
      expect.objectContaining({ code: 'BAD_OPTION' }) as Error,
    );
  });
});
