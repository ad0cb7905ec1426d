import type { ExtractOptions, Field, PolyMesh } from '../src';
import {
  CancelledError,
  extractTile,
  fieldCounts,
  INSIDE,
  InvalidInputError,
  stackLevel,
  limitPoints,
  MISSED,
  prepareSpan,
  refineLevels,
} from '../src';
import { cube, meshOf, onSphere, plane } from './shapes';

async function extract(low: PolyMesh, sculpt: PolyMesh, options: Partial<ExtractOptions> = {}, tile = 1001): Promise<Field> {
  const { fields } = await extractTile(prepareSpan(low, sculpt, { width: 64, height: 64, ...options }), tile);
  return fields.get(options.maps?.[0] ?? 'scalar') as Field;
}
const inside = ({ values, coverage }: Field): number[] => [...values].filter((_, i) => coverage[i] === INSIDE);

describe('scalar extraction', () => {
  it('measures a plane raised by a known step exactly, from every base, matched or by rays', async () => {
    const low = plane(2, 4);
    const raised = (n: number): PolyMesh => plane(n, 4, 0.25);
    for (const base of ['limit', 'polygons', 'level:1'] as const)
      for (const sculpt of [raised(8), raised(5)]) {
        const field = await extract(low, sculpt, { base });
        expect(fieldCounts(field)).toEqual({
          covered: 4096,
          missed: 0,
          doubtful: 0,
          mended: 0,
          min: 0.25,
          max: 0.25,
          ends: [{ min: 0.25, max: 0.25 }],
        });
      }
    expect(stackLevel(low, plane(8, 4))?.levels).toBe(2); // a level in another point order
    expect(stackLevel(low, plane(5, 4))).toBeNull();
  });

  it('follows a tilted plane along the base normal', async () => {
    const field = await extract(
      plane(2, 4),
      plane(7, 4, (x) => 0.1 + 0.05 * x),
      { base: 'polygons' },
    );
    inside(field).forEach((_, i) => expect(field.values[i]).toBeCloseTo(0.1 + 0.05 * 4 * (((i % 64) + 0.5) / 64), 6));
  });

  it('measures sphere against sphere: the radius difference, within the facets', async () => {
    const { mesh } = refineLevels(cube(), 5);
    const low = onSphere(refineLevels(cube(), 2).mesh, 1);
    const field = await extract(low, onSphere(mesh, 1.5), { base: 'polygons', width: 128, height: 128 });
    const heights = inside(field);
    expect(Math.max(...heights)).toBeLessThan(0.5 + 0.04);
    expect(Math.min(...heights)).toBeGreaterThan(0.5 - 0.003);
  });

  it('measures from the limit surface: the limit of the base itself is at height 0', async () => {
    const level = refineLevels(cube(), 4);
    const field = await extract(cube(), { ...level.mesh, positions: limitPoints(level).positions });
    // what is left is the sculpt's facets (their chord over a curve)
    expect(Math.max(...inside(field).map(Math.abs))).toBeLessThan(3e-3);
  });

  it('finds a bump of known height, its flank included, and averages supersamples', async () => {
    const bump = (x: number, y: number): number => 0.3 * Math.max(0, 1 - Math.hypot(x - 2, y - 2));
    const low = plane(1, 4);
    const field = await extract(low, plane(64, 4, bump), { base: 'polygons', match: 'rays', width: 256, height: 256, samples: 2 });
    const heights = inside(field);
    expect(Math.max(...heights)).toBeGreaterThan(0.29);
    expect(Math.max(...heights)).toBeLessThanOrEqual(0.3);
    expect(field.values[128 * 256 + 160]).toBeCloseTo(bump((4 * 160.5) / 256, (4 * 127.5) / 256), 2);
  });

  it('marks what faces away or lies beyond the reach as missed, and fills it', async () => {
    const low = plane(2, 4);
    const flipped = plane(6, 4, 0.2);
    flipped.faceVerts.subarray(flipped.faceVerts.length / 2).reverse();
    expect(fieldCounts(await extract(low, flipped, { reach: 1 })).missed).toBe(2048);
    const half = meshOf([[0, 0, 0.2], [2, 0, 0.2], [2, 4, 0.2], [0, 4, 0.2]], [[0, 1, 2, 3]]); // prettier-ignore
    const field = await extract(low, half, { base: 'polygons' });
    expect([...field.coverage].filter((c) => c === MISSED)).toHaveLength(2048);
    expect(field.values[63]).toBe(Math.fround(0.2));
  });

  it('refuses hopeless pairs by name, and can be cancelled and called again', async () => {
    const low = plane(2);
    const code = (run: () => unknown): string => {
      try {
        run();
      } catch (e) {
        if (e instanceof InvalidInputError) return e.code;
      }
      return '';
    };
    expect(code(() => prepareSpan({ ...low, uvs: null, faceUvs: null }, plane(4, 1, 0.2)))).toBe('NO_UVS');
    expect(code(() => prepareSpan(low, plane(2)))).toBe('SAME_SURFACE');
    expect(code(() => prepareSpan(low, { ...plane(4), positions: plane(4).positions.map((x) => x + 50) }))).toBe('NO_OVERLAP');
    const lifted = plane(5, 1, 0.1);
    expect(code(() => prepareSpan(low, { ...lifted, faceVerts: lifted.faceVerts.slice().reverse(), faceUvs: null, uvs: null }))).toBe(
      'INSIDE_OUT',
    );
    const high = plane(4, 1, 0.2);
    expect(code(() => prepareSpan(low, high, { width: 0 }))).toBe('BAD_OPTION');
    expect(code(() => prepareSpan(low, plane(5, 1, 0.2), { match: 'stack' }))).toBe('NOT_A_STACK');
    for (const half of [{ samples: 1.5 }, { padding: 0.5 }, { occlusionRays: 8.5 }, { seed: 0.5 }, { reach: 1e-320 }, { radius: NaN }])
      expect(code(() => prepareSpan(low, high, { maps: ['occlusion'], ...half }))).toBe('BAD_OPTION');
    expect(code(() => prepareSpan(low, high, { match: 'closest' }))).toBe('BAD_OPTION');
    expect(code(() => prepareSpan(low, high, { maps: ['occlusion'], fitTexels: true }))).toBe('BAD_OPTION');
    const span = prepareSpan(low, high, { width: 16, height: 16 });
    await expect(extractTile(span, 1002)).rejects.toMatchObject({ code: 'NO_TILE' });
    await expect(extractTile(span, 1001, undefined, { signal: { aborted: true } })).rejects.toThrow(CancelledError);
    expect((await extractTile(span, 1001)).rays).toBe(256);
  });

  it('takes a folded sheet whose underside is nearest everywhere, as it faces the same way by its area', async () => {
    const low = { ...plane(4, 4), positions: plane(4, 4).positions.map((v, i) => (i % 3 === 2 ? 0.5 : v)) };
    const flat = plane(48, 4);
    // to and fro: up at -1, down just below the light mesh, up at 1.9
    const folded: PolyMesh = {
      ...flat,
      positions: flat.positions.map((v, i) => {
        const x = flat.positions[i - (i % 3)];
        const [layer, along] = [Math.min(2, Math.floor((3 * x) / 4)), (3 * x) % 4];
        if (i % 3 === 0) return layer === 1 ? 4 - along : x === 4 ? 4 : along;
        return i % 3 === 2 ? [-1, 0.4, 1.9][layer] : v;
      }),
      uvs: null,
      faceUvs: null,
    };
    const options = { maps: ['scalar'] as const, match: 'rays' as const, width: 16, height: 16, reach: 2, padding: 0 };
    const { fields } = await extractTile(prepareSpan(low, folded, options), 1001);
    const heights = fields.get('scalar');
    expect(heights?.values[8 * 16 + 8]).toBeCloseTo(1.4, 5);
    expect(() => prepareSpan(low, { ...low, positions: low.positions.map((v, i) => (i % 3 === 2 ? 0.4 : v)), faceVerts: low.faceVerts.slice().reverse() }, options)).toThrow(/inside out/); // prettier-ignore
  });
});
