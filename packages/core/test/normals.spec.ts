import type { Encoding, ExtractOptions, Field, PolyMesh } from '../src';
import { extractTile, INSIDE, prepareSpan, proveNormals, refineLevels } from '../src';
import { storedRaster } from '../src/encode/encode-field';
import { encodeNormals } from '../src/encode/encode-normals';
import type { NormalConvention } from '../src/encode/encoding';
import { cube, known, onSphere, plane } from './shapes';

async function normalField(low: PolyMesh, sculpt: PolyMesh, options: Partial<ExtractOptions> = {}): Promise<Field> {
  const span = prepareSpan(low, sculpt, { width: 64, height: 64, maps: ['normal'], ...options });
  return (await extractTile(span, 1001)).fields.get('normal') as Field;
}
const up: NormalConvention = { green: 'up', keepBlue: true };
const eight: Encoding = { depth: '8', midpoint: 0.5, scale: 2 };

describe('normal maps', () => {
  const slope = plane(16, 1, (x, y) => 0.05 * x - 0.1 * y);
  const length = Math.hypot(0.05, -0.1, 1);

  it('gives the tilted plane its own normal in tangent and object space, by stack, rays and nearest point', async () => {
    for (const match of ['stack', 'rays', 'closest'] as const)
      for (const frame of ['mikk', 'object'] as const) {
        const { values, coverage } = await normalField(plane(2), slope, { match, frame, base: 'polygons', reach: 1 });
        for (let i = 0; i < coverage.length; i++) {
          expect(coverage[i]).toBe(INSIDE);
          expect(values[3 * i]).toBeCloseTo(-0.05 / length, 5);
          expect(values[3 * i + 1]).toBeCloseTo(0.1 / length, 5);
          expect(values[3 * i + 2]).toBeCloseTo(1 / length, 5);
        }
      }
  });

  it('gives a sphere its radial normals from a cube, and the proof finds them again', async () => {
    const low = cube();
    const sculpt = onSphere(refineLevels(low, 5).mesh, 1);
    const options = { width: 256, height: 256, maps: ['normal'] as const, base: 'polygons' as const, samples: 2 };
    const span = prepareSpan(low, sculpt, options);
    const field = (await extractTile(span, 1001)).fields.get('normal') as Field;
    const { report, worst } = await proveNormals(span, new Map([[1001, { ...field }]]), { midpoint: 0, scale: 1, tolerance: 1 });
    expect(known(report.normalAngle).mean).toBeLessThan(0.25);
    expect(known(report.bareAngle).mean).toBeGreaterThan(10 * known(report.normalAngle).mean);
    expect(report.passed).toBe(true);
    expect(worst[0].error).toBeCloseTo(known(report.normalAngle).max, 5);
    expect(Math.hypot(...worst[0].position)).toBeGreaterThan(0.5); // a place on the cube
    // half a code of rounding in each component is about 0.2 degrees
    const map = encodeNormals(field, eight, up);
    const { report: rounded } = await proveNormals(span, new Map([[1001, storedRaster(map)]]));
    expect(known(rounded.normalAngle).mean).toBeGreaterThan(known(report.normalAngle).mean);
    expect(known(rounded.normalAngle).mean).toBeLessThan(known(report.normalAngle).mean + 0.25);
    // green read the wrong way round is far off
    expect((await proveNormals(span, new Map([[1001, storedRaster(map)]]), { green: 'down' })).report.normalAngle?.mean).toBeGreaterThan(
      10 * known(rounded.normalAngle).mean,
    );
  });

  it('fits the height map of the same pass: the normal is that of the ray hit', async () => {
    const low = plane(2);
    // the same-parameter point lies a quarter to the side of the hit, where the slope differs
    const bent = (x: number): number => 0.1 * Math.sin(6 * x);
    const flat = plane(16);
    const sculpt = {
      ...flat,
      positions: flat.positions.map((v, i) => (i % 3 === 2 ? bent(flat.positions[i - 2]) : i % 3 === 0 ? v + 0.25 : v)),
    };
    const paired = prepareSpan(low, sculpt, { width: 32, height: 32, maps: ['scalar', 'normal'], match: 'auto', base: 'polygons' });
    expect(paired.source).toBe('hit');
    const { fields } = await extractTile(paired, 1001);
    expect([...fields.keys()]).toEqual(['scalar', 'normal']);
    const alone = await normalField(low, sculpt, { width: 32, height: 32, base: 'polygons' });
    const i = 16 * 32 + 20;
    const x = 20.5 / 32;
    const nx = (slopeX: number): number => -slopeX / Math.hypot(1, slopeX);
    expect(fields.get('normal')?.values[3 * i]).toBeCloseTo(nx(0.6 * Math.cos(6 * (x - 0.25))), 1);
    expect(alone.values[3 * i]).toBeCloseTo(nx(0.6 * Math.cos(6 * x)), 1);
    expect(fields.get('scalar')?.values[i]).toBeCloseTo(bent(x - 0.25), 2);
  });

  it('stores the flat normal as the trade knows it, 0.32 degrees off at 8 bit, and the exact midpoint mends that', async () => {
    const field = await normalField(plane(2), plane(8, 1, 0.1), { match: 'rays', reach: 1, padding: 0 });
    const map = encodeNormals(field, eight, up);
    expect([...map.stored.subarray(0, 3)]).toEqual([128, 128, 255]);
    expect(map.figures.restAngle).toBeCloseTo(0.32, 2);
    expect(encodeNormals(field, { ...eight, midpoint: 128 / 255, scale: 2 }, up).figures.restAngle).toBeLessThan(1e-5);
    expect(encodeNormals(field, { depth: 'half', midpoint: 0.5, scale: 2 }, up).figures.restAngle).toBe(0);
  });

  it('turns green over and rebuilds blue without loss, and counts normals that cannot be rebuilt', async () => {
    const field = await normalField(plane(2), slope, { base: 'polygons' });
    const kept = encodeNormals(field, { ...eight, depth: '16' }, up).stored;
    const down = encodeNormals(field, { ...eight, depth: '16' }, { green: 'down', keepBlue: false });
    expect(down.stored[1] + kept[1]).toBe(65535);
    expect(down.stored[2]).toBe(65535);
    expect(down.figures.roundingAngle.max).toBeLessThan(0.01);
    const backwards = { ...field, values: field.values.map((v, i) => (i % 3 === 2 ? -v : v)) };
    expect(encodeNormals(backwards, eight, { green: 'up', keepBlue: false }).figures.clippedShare).toBe(1);
  });
});
