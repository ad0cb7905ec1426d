import type { AxisOrder, Encoding, ExtractOptions, Field, PolyMesh, Raster, VectorFrameKind } from '../src';
import {
  allAxisOrders,
  axisLetters,
  decodeMap,
  encodeMap,
  extractTile,
  fieldRecord,
  fitEncoding,
  formatAxes,
  isMirrored,
  parseAxes,
  PLAIN_ORDER,
  prepareSpan,
  proveDisplacement,
  refineLevels,
} from '../src';
import { storedRaster } from '../src/encode/encode-field';
import { cube, onSphere, plane } from './shapes';

const FRAMES: readonly VectorFrameKind[] = ['object', 'derivative', 'mikk'];
const moved = (mesh: PolyMesh, by: (x: number, y: number, z: number) => readonly number[]): PolyMesh => {
  const positions = mesh.positions.slice();
  for (let i = 0; i < positions.length; i += 3) positions.set(by(positions[i], positions[i + 1], positions[i + 2]), i);
  return { ...mesh, positions };
};
/** Turns about an axis that no coordinate favours. */
const turned = (mesh: PolyMesh, angle = 0.7): PolyMesh => {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  return moved(mesh, (x, y, z) => {
    const [a, b] = [c * x - s * y, s * x + c * y];
    return [a, c * b - s * z, s * b + c * z];
  });
};
async function vectorField(low: PolyMesh, sculpt: PolyMesh, options: Partial<ExtractOptions> = {}) {
  const span = prepareSpan(low, sculpt, { width: 64, height: 64, maps: ['vector'], ...options });
  const { fields, rays } = await extractTile(span, 1001);
  const field = fields.get('vector') as Field;
  return { span, field, rays, record: fieldRecord(span, 'vector', 1001, field, { unit: 'mm', lowHash: '' }) };
}
const insideOf = ({ values, coverage }: Field): number[] => [...values].filter((_, i) => coverage[Math.floor(i / 3)] === 1);

/** A cube whose fourth level overhangs: a mushroom on top, whose rim no height can reach. */
const low = cube();
const mushroom: PolyMesh = moved(onSphere(refineLevels(low, 4).mesh, 1), (x, y, z) => {
  const cap = Math.max(0, z - 0.7) / 0.3;
  const swell = 1 + 1.4 * Math.max(0, Math.sin(Math.PI * Math.min(1, cap)));
  return [x * swell, y * swell, z + 0.6 * Math.sin((Math.PI / 2) * Math.min(1, cap))];
});

describe('vector displacement in one stack', () => {
  it('is the way that each place has gone, exactly and without rays, also sideways', async () => {
    const by = [0.75, -0.25, 0.5];
    const { field, rays } = await vectorField(
      plane(2, 4),
      moved(plane(8, 4), (x, y, z) => [x + by[0], y + by[1], z + by[2]]),
      { vectorFrame: 'object' },
    );
    expect(rays).toBe(0);
    expect(field.channels).toBe(3);
    for (let i = 0; i < field.values.length; i++) expect(field.values[i]).toBeCloseTo(by[i % 3], 6);
  });

  it.each(['derivative', 'mikk'] as const)('does not change when the asset is turned: %s frame', async (vectorFrame) => {
    const still = await vectorField(low, mushroom, { vectorFrame });
    const turn = await vectorField(turned(low), turned(mushroom), { vectorFrame });
    expect(turn.field.coverage).toEqual(still.field.coverage);
    let largest = 0;
    still.field.values.forEach((x, i) => (largest = Math.max(largest, Math.abs(x - turn.field.values[i]))));
    expect(largest).toBeLessThan(1e-5);
    // while object space turns with it
    const object = await vectorField(turned(low), turned(mushroom), { vectorFrame: 'object' });
    expect(object.field.values.some((x, i) => Math.abs(x - still.field.values[i]) > 0.1)).toBe(true);
  });

  it('runs along U, V and the normal: a plane pushed sideways, its UVs turned and mirrored', async () => {
    const { field } = await vectorField(
      plane(2, 1),
      moved(plane(8, 1), (x, y) => [x + 0.1, y, 0.2]),
    );
    insideOf(field).forEach((x, i) => expect(x).toBeCloseTo([0.1, 0, 0.2][i % 3], 6));
    // u grows along +y and v along -x: what lay along u lies against v
    const uvTurn = (mesh: PolyMesh, map: (u: number, v: number) => readonly [number, number]): PolyMesh => ({
      ...mesh,
      uvs: Float32Array.from({ length: mesh.uvs?.length ?? 0 }, (_, i) => map(mesh.uvs?.[i & ~1] ?? 0, mesh.uvs?.[i | 1] ?? 0)[i & 1]),
    });
    const quarter = await vectorField(
      uvTurn(plane(2, 1), (u, v) => [v, 1 - u]),
      moved(plane(8, 1), (x, y) => [x + 0.1, y, 0.2]),
    );
    insideOf(quarter.field).forEach((x, i) => expect(x).toBeCloseTo([0, -0.1, 0.2][i % 3], 6));
    const mirror = await vectorField(
      uvTurn(plane(2, 1), (u, v) => [1 - u, v]),
      moved(plane(8, 1), (x, y) => [x + 0.1, y + 0.05, 0.2]),
    );
    insideOf(mirror.field).forEach((x, i) => expect(x).toBeCloseTo([-0.1, 0.05, 0.2][i % 3], 6));
  });

  it('counts faces that a map turns over, also against a sculpt that is no level of the light mesh', async () => {
    // vectors that mirror the plane in x: every face looks down then, where the sculpt's faces look up
    const size = 64;
    const values = Float32Array.from({ length: 3 * size * size }, (_, i) =>
      i % 3 === 0 ? 1 - (2 * ((Math.floor(i / 3) % size) + 0.5)) / size : 0,
    );
    const mirrored = new Map([[1001, { width: size, height: size, channels: 3, values }]]);
    for (const cells of [8, 7]) {
      const { report } = await proveDisplacement(
        { low: plane(2, 1), sculpt: plane(cells, 1), maps: mirrored },
        { kind: 'vector', frame: 'object', subdivisions: 2, base: 'polygons' },
      );
      expect(report.foldShare).toBeCloseTo(1, 6);
    }
  });

  it('proves alike in every frame, and reaches what heights cannot', async () => {
    const reports = [];
    for (const vectorFrame of FRAMES) {
      const { field, record } = await vectorField(low, mushroom, { vectorFrame, width: 256, height: 256, matchSeams: false });
      const encoding: Encoding = { depth: 'float', midpoint: 0, scale: 1 };
      const axes = parseAxes(vectorFrame === 'object' ? 'R=-Z G=+X B=-Y' : 'R=-N G=+U B=-V', axisLetters(vectorFrame));
      const { map } = encodeMap(field, record, encoding, null, { axes });
      const { report } = await proveDisplacement(
        { low, sculpt: mushroom, maps: new Map([[1001, storedRaster(map)]]), fields: new Map([[1001, field]]) },
        { kind: 'vector', frame: vectorFrame, frameLevel: record.frameLevel, axes, tolerance: 0.03 },
      );
      expect(report.unencoded?.rms).toBeCloseTo(report.distance.rms, 6);
      expect(report.foldShare).toBe(0);
      reports.push(report);
    }
    const [object, derivative, mikk] = reports.map((r) => r.distance.rms);
    expect(derivative).toBeCloseTo(object, 3);
    expect(mikk).toBeCloseTo(object, 3);
    expect(reports[0].reachedShare).toBeGreaterThan(0.99);
    const heights = (await extractTile(prepareSpan(low, mushroom, { width: 256, height: 256 }), 1001)).fields.get('scalar') as Field;
    const { report } = await proveDisplacement({ low, sculpt: mushroom, maps: new Map([[1001, heights]]) }, { tolerance: 0.03 });
    expect(report.reachedShare).toBeLessThan(0.97);
    expect(report.distance.rms).toBeGreaterThan(5 * object);
  });

  it('keeps its frames from level to level: proven with fewer and with more subdivisions than they were computed on', async () => {
    const smooth = refineLevels(low, 5, {}).mesh;
    const sculpt = moved(onSphere(smooth, 1), (x, y, z) => [1.1 * x + 0.1 * y, 1.1 * y, 1.1 * z]);
    const { field, record, span } = await vectorField(low, sculpt, { width: 256, height: 256 });
    expect(record.frameLevel).toBe(4);
    expect(span.base.level).toBeGreaterThanOrEqual(5);
    const at = async (subdivisions: number): Promise<number> =>
      (
        await proveDisplacement(
          { low, sculpt, maps: new Map([[1001, field]]) },
          { kind: 'vector', frameLevel: record.frameLevel, subdivisions },
        )
      ).report.distance.rms;
    const [fewer, same, more] = [await at(3), await at(4), await at(5)];
    expect(fewer).toBeLessThan(0.02);
    expect(same).toBeLessThan(fewer);
    expect(more).toBeLessThan(same);
    expect(more).toBeLessThan(0.002);
  });
});

describe('vectors to a free sculpt', () => {
  const lowPlane = plane(2, 4);
  const free = plane(5, 4, 0.25);

  it('are the height along the normal by rays, the way to the nearest point when asked', async () => {
    const rays = await vectorField(lowPlane, free);
    insideOf(rays.field).forEach((x, i) => expect(x).toBeCloseTo([0, 0, 0.25][i % 3], 6));
    expect(rays.span.match).toBe('rays');
    const tilted = plane(5, 4, (x) => 0.2 + 0.5 * x);
    const nearest = await vectorField(lowPlane, tilted, { match: 'closest', vectorFrame: 'object', reach: 10 });
    const middle = 3 * (32 * 64 + 32);
    const [dx, , dz] = nearest.field.values.subarray(middle, middle + 3);
    expect(dx / dz).toBeCloseTo(-0.5, 4); // along the sculpt's own normal
    const x = (4 * 32.5) / 64;
    expect(Math.hypot(dx, dz)).toBeCloseTo((0.2 + 0.5 * x) / Math.hypot(1, 0.5), 4);
  });

  it('need UVs and a second surface', () => {
    expect(() => prepareSpan({ ...lowPlane, uvs: null, faceUvs: null }, free, { maps: ['vector'] })).toThrow(
      expect.objectContaining({ code: 'NO_UVS' }) as Error,
    );
    expect(() => prepareSpan(lowPlane, lowPlane, { maps: ['vector'] })).toThrow(expect.objectContaining({ code: 'SAME_SURFACE' }) as Error);
    expect(() => prepareSpan(lowPlane, free, { maps: ['vector'], match: 'stack' })).toThrow(
      expect.objectContaining({ code: 'NOT_A_STACK' }) as Error,
    );
  });
});

describe('axis orders', () => {
  it('are 48, all there and back through a file of three channels', async () => {
    const { field, record } = await vectorField(low, mushroom, { width: 16, height: 16 });
    const orders = allAxisOrders();
    expect(new Set(orders.map((o) => formatAxes(o, 'UVN'))).size).toBe(48);
    expect(orders.filter(isMirrored)).toHaveLength(24);
    expect(isMirrored(PLAIN_ORDER)).toBe(false);
    for (const axes of orders) {
      expect(parseAxes(formatAxes(axes, 'XYZ'), 'XYZ')).toEqual(axes);
      const { map, record: written } = encodeMap(field, record, { depth: 'float', midpoint: 0.5, scale: 4 }, null, { axes });
      const decoded = decodeMap(map).values;
      const back = parseAxes(written.written.axes, axisLetters(written.frame));
      for (let i = 0; i < decoded.length; i++)
        if (field.coverage[Math.floor(i / 3)] === 1) {
          const { component, sign } = back[i % 3];
          expect(Math.abs(sign * decoded[i] - field.values[i - (i % 3) + component])).toBeLessThan(1e-6);
        }
    }
  });

  it.each([
    ['R=+U G=+V', 'B is missing'],
    ['R=+U G=+U B=+N', 'used twice'],
    ['R=+U R=+V B=+N', 'R is named twice'],
    ['R=+X G=+Y B=+Z', 'components are U, V, N, not X'],
    ['U V N', 'not a channel'],
  ])('refuse %s by saying why', (text, why) => {
    expect(() => parseAxes(text, 'UVN')).toThrow(
      expect.objectContaining({ code: 'BAD_OPTION', message: expect.stringContaining(why) as string }) as Error,
    );
  });

  it('are fitted after they are applied: one shared range, or three', async () => {
    const { field, record } = await vectorField(
      plane(2, 1),
      moved(plane(8, 1), (x, y) => [x + 0.1 * x, y - 0.01 * y, 0.5 * x]),
    );
    const axes: AxisOrder = parseAxes('R=-N G=+U B=+V', 'UVN');
    const wish = { kind: 'vector', depth: '16', fit: null, midpoint: null, scale: null, axes, each: false } as const;
    const shared = fitEncoding([field], wish);
    expect(shared.each).toBeUndefined();
    expect(shared.scale).toBeCloseTo(1, 1); // the largest of all channels, about the middle
    const three = fitEncoding([field], { ...wish, fit: { kind: 'full', share: 0, rounded: false }, each: true });
    expect(three.each?.map((r) => Number(r.scale.toFixed(2)))).toEqual([0.5, 0.1, 0.01]);
    expect(three.each?.[0].midpoint).toBeCloseTo(1, 3); // the normal is stored upside down, so the range lies below it
    const { figures, record: written, map } = encodeMap(field, record, three, null, { axes });
    expect(figures.clippedShare).toBe(0);
    expect(written.written.scale).toEqual(three.each?.map((r) => r.scale));
    const largestStep = Math.max(...(three.each ?? []).map((r) => r.scale / 65535));
    const decoded = decodeMap(map).values;
    insideOf(field).forEach((_, i) => expect(Math.abs(decoded[i])).toBeLessThan(1));
    expect(figures.roundingRms).toBeLessThan(largestStep / 2);
    expect(() => fitEncoding([field], { ...wish, each: true, scale: 1 })).toThrow(expect.objectContaining({ code: 'BAD_OPTION' }) as Error);
  });
});

it('refuses to displace by three components what holds one', async () => {
  const lowPlane = plane(2, 4);
  const heights: Raster = { width: 4, height: 4, channels: 1, values: new Float32Array(16) };
  await expect(
    proveDisplacement({ low: lowPlane, sculpt: plane(4, 4, 1), maps: new Map([[1001, heights]]) }, { kind: 'vector' }),
  ).rejects.toMatchObject({
    code: 'BAD_OPTION',
  });
});
