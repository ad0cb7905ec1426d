import type { Base, Field, PolyMesh, Raster } from '../src';
import {
  baseSurfaceAt,
  errorParts,
  extractTile,
  NORMAL_RANGE,
  polyMesh,
  prepareSpan,
  proveDisplacement,
  proveNormals,
  refineLevels,
  sharesOverTiles,
  texelsHeld,
  TilesByNeed,
  surfaceVerts,
} from '../src';
import { derivativeFrames } from '../src/frames/derivative-frames';
import { surfaceSamples } from '../src/mesh/surface-samples';
import { NAMED_MESHES } from './named-meshes';
import { cube, known, meshOf, onSphere, plane } from './shapes';

const zero = (channels: 1 | 3 = 1): Raster => ({ width: 4, height: 4, channels, values: new Float32Array(16 * channels) });

describe('a proof of normals', () => {
  const low = cube();
  const sculpt = onSphere(refineLevels(low, 3).mesh, 1.2);
  const up: Raster = { width: 2, height: 2, channels: 3, values: Float32Array.from([0.5, 0.5, 1, 0.5, 0.5, 1, 0.5, 0.5, 1, 0.5, 0.5, 1]) };

  it('has no verdict where nothing could be compared', async () => {
    const span = prepareSpan(low, sculpt, { maps: ['normal'], width: 64, height: 64, match: 'rays', reach: 1e-3 });
    const { report } = await proveNormals(span, new Map([[1001, up]]), { tolerance: 180 });
    expect(report).toMatchObject({ normalAngle: null, bareAngle: null, unmatchedShare: 1, passed: null });
  });

  it('holds where a part of the area could not be compared, and says how much', async () => {
    const span = (reach: number) => prepareSpan(low, sculpt, { maps: ['normal'], width: 64, height: 64, match: 'rays', reach });
    const run = async (reach: number) => (await proveNormals(span(reach), new Map([[1001, up]]), { tolerance: 180 })).report;
    const whole = await run(2);
    expect([whole.unmatchedShare, whole.passed]).toEqual([0, true]);
    const short = await run(0.35);
    expect(short.unmatchedShare).toBeGreaterThan(0.01);
    expect(short.unmatchedShare).toBeLessThan(1);
    expect(short.passed).toBe(false);
  });

  it('reads a field as it is, and its file by its range', async () => {
    const span = prepareSpan(low, sculpt, { maps: ['normal'], width: 64, height: 64 });
    const field = known((await extractTile(span, 1001)).fields.get('normal'));
    const { report: asIs } = await proveNormals(span, new Map([[1001, field]]), { midpoint: 0, scale: 1 });
    const stored: Raster = { ...field, values: field.values.map((n) => n / NORMAL_RANGE.scale + NORMAL_RANGE.midpoint) };
    const { report: read } = await proveNormals(span, new Map([[1001, stored]]));
    expect(known(asIs.normalAngle).mean).toBeCloseTo(known(read.normalAngle).mean, 4);
    expect(known(asIs.normalAngle).mean).toBeLessThan(3);
  });
});

describe('a proof of displacements', () => {
  const bases: readonly Base[] = ['limit', 'polygons', 'level:1'];

  it.each(bases)('displaces what was measured, where points and UVs are warped against each other: %s', async (base) => {
    const low = plane(4, 4);
    for (let j = 1; j < 4; j++)
      for (let i = 1; i < 4; i++) {
        low.positions[3 * (5 * j + i)] += 0.35 * Math.sin(3 * i + 7 * j);
        low.positions[3 * (5 * j + i) + 1] += 0.35 * Math.cos(5 * i + 2 * j);
      }
    const { positions, faceOffsets, faceVerts } = plane(96, 4, (x, y) => 0.05 * Math.sin(3 * x) * Math.cos(2.5 * y));
    const sculpt = polyMesh({ positions, faceOffsets, faceVerts });
    const { fields } = await extractTile(prepareSpan(low, sculpt, { width: 512, height: 512, base, reach: 0.1 }), 1001);
    const { report } = await proveDisplacement(
      { low, sculpt, maps: new Map([[1001, known(fields.get('scalar'))]]) },
      { base, subdivisions: 5 },
    );
    expect(report.distance.rms).toBeLessThan(2e-4);
  });

  it.each(['corners', 'boundaries', 'smooth'] as const)(
    'has the UVs of a limit surface at their own limit, the same at every level: %s',
    (uv) => {
      const low = NAMED_MESHES['sheet in two halves'];
      for (const boundary of ['edge-and-corner', 'edge-only'] as const) {
        const levels = [1, 2, 4].map((k) => baseSurfaceAt(low, 'limit', k, { uv, boundary }).mesh);
        for (const mesh of levels.slice(1)) known(levels[0].uvs).forEach((x, i) => expect(mesh.uvs?.[i]).toBeCloseTo(x, 6));
      }
      // where the points are polygons, so are the UVs
      expect(baseSurfaceAt(low, 'polygons', 2, { uv }).mesh.uvs).toEqual(baseSurfaceAt(low, 'polygons', 2).mesh.uvs);
    },
  );

  it('finds no angle between a bent surface and itself', async () => {
    const low = onSphere(refineLevels(cube(), 2).mesh, 1);
    low.positions.forEach((x, i) => (low.positions[i] = x + 0.1 * Math.sin(7 * i)));
    const { report } = await proveDisplacement(
      { low, sculpt: low, maps: new Map([[1001, zero()]]) },
      { subdivisions: 0, base: 'polygons' },
    );
    expect(report.distance.max).toBeLessThan(1e-6);
    expect(report.normalAngle.mean).toBeLessThan(1e-3);
  });

  it('lets a sliver be folded, and no more than a ten-thousandth of the area', async () => {
    const foldedOne = async (n: number) => {
      const low = plane(n, 1);
      low.positions[3 * (Math.floor(n / 2) * (n + 1) + Math.floor(n / 2))] += 1.3 / n;
      return (await proveDisplacement({ low, sculpt: plane(2, 1), maps: new Map([[1001, zero()]]) }, { subdivisions: 0, base: 'polygons', tolerance: 1 })).report; // prettier-ignore
    };
    const [few, many] = [await foldedOne(24), await foldedOne(120)];
    expect(few.foldShare).toBeGreaterThan(1e-4);
    expect(few.passed).toBe(false);
    expect(many.foldShare).toBeGreaterThan(0);
    expect(many.foldShare).toBeLessThan(1e-4);
    expect(many.passed).toBe(true);
  });

  it('splits squares by taking them off, one from the next', () => {
    const parts = errorParts({ exactPoints: 3, samplingBound: 5, unencoded: 13, written: 85 });
    expect(parts).toEqual({ subdivision: 3, sampling: 4, search: 12, encoding: 84 });
    expect(errorParts({ exactPoints: 5, samplingBound: 3, unencoded: 3, written: 3 })).toMatchObject({
      sampling: 0,
      search: 0,
      encoding: 0,
    });
  });

  it('compares at the centre of a triangle, the middle of a diagonal, and the middle triangle of a fan', () => {
    const points = [[0, 0, 0], [3, 0, 0], [0, 3, 0], [5, 0, 0], [9, 0, 0], [9, 1, 0], [5, 1, 2], [0, 9, 0], [2, 8, 0], [4, 9, 0], [4, 12, 0], [0, 12, 0]]; // prettier-ignore
    const mesh = meshOf(points, [[0, 1, 2], [3, 4, 5, 6], [7, 8, 9, 10, 11]]); // prettier-ignore
    const { points: at, pointCount } = surfaceSamples(mesh.positions, mesh.faceOffsets, surfaceVerts(mesh));
    const sample = (f: number): number[] => [...at.subarray(3 * (pointCount + f), 3 * (pointCount + f) + 3)];
    expect(sample(0)).toEqual([1, 1, 0]);
    expect(sample(1)).toEqual([7, 0.5, 0]);
    sample(2).forEach((x, k) => expect(x).toBeCloseTo([8 / 3, 10, 0][k], 6)); // of the triangle 7 9 10
  });
});

describe('shares of a map of several tiles', () => {
  it('are over all texels, not those of the first or the worst tile', () => {
    const tile = (covered: number, missed: number, clippedShare: number) => ({ covered, missed, doubtful: 0, mended: 0, missedShare: missed / (covered + missed), clippedShare }); // prettier-ignore
    const over = sharesOverTiles([tile(900, 0, 0), tile(100, 100, 0.5)]);
    expect(over.clippedShare).toBeCloseTo(0.05, 12);
    expect(over.missedShare).toBeCloseTo(100 / 1100, 12);
    // a tile that does not say how many texels it has: the worst
    expect(sharesOverTiles([tile(900, 0, 0), { clippedShare: 0.4, missedShare: 0.1 }])).toEqual({ clippedShare: 0.4, missedShare: 0.1 });
    expect(sharesOverTiles([{}])).toEqual({ clippedShare: null, missedShare: null });
  });
});

describe('the frame of a place', () => {
  /** A sheet whose middle point also belongs to a face that is a sliver on the Sheet, laid askew. */
  const sheet: PolyMesh = (() => {
    const mesh = plane(2, 2);
    const uvs = Float32Array.from(known(mesh.uvs));
    const faceUvs = Uint32Array.from(known(mesh.faceUvs));
    // the last face keeps its middle corner; the others lie on a line, but for a hair, along V
    uvs.set([0.5, 0.5 + 1e-5], 2 * 5);
    uvs.set([0.5 + 1e-6, 1], 2 * 8);
    return { ...mesh, uvs, faceUvs };
  })();
  const middle = (rule: 1 | 2): number[] => {
    const { corners, tangents } = derivativeFrames(sheet, 0, rule);
    const at = sheet.faceVerts.indexOf(4);
    return [...tangents.subarray(4 * corners[at], 4 * corners[at] + 3)];
  };
  it('follows the faces by their angle, not by how thin their UVs are; older maps are read as they were made', () => {
    const turned = ([x, y]: number[]): number => (Math.atan2(Math.abs(y), x) * 180) / Math.PI;
    expect(turned(middle(2))).toBeLessThan(35);
    expect(Math.abs(turned(middle(1)))).toBeGreaterThan(40);
  });

  it('of a box does not change when it is turned, though every quad has two equal diagonals', async () => {
    const turn = (mesh: PolyMesh): PolyMesh => {
      const [c, s] = [Math.cos(0.7), Math.sin(0.7)];
      const positions = mesh.positions.slice();
      for (let i = 0; i < positions.length; i += 3) {
        const [x, y, z] = mesh.positions.subarray(i, i + 3);
        const [a, b] = [c * x - s * y, s * x + c * y];
        positions.set([a, c * b - s * z, s * b + c * z], i);
      }
      return { ...mesh, positions };
    };
    const low = cube();
    const sculpt = onSphere(refineLevels(low, 3).mesh, 1.2);
    const field = async (a: PolyMesh, b: PolyMesh): Promise<Field> =>
      known(
        (await extractTile(prepareSpan(a, b, { width: 64, height: 64, maps: ['normal'], base: 'polygons', padding: 0 }), 1001)).fields.get(
          'normal',
        ),
      );
    const [still, turned] = [await field(low, sculpt), await field(turn(low), turn(sculpt))];
    let worst = 0;
    still.values.forEach((x, i) => (worst = Math.max(worst, Math.abs(x - turned.values[i]))));
    expect(worst).toBeLessThan(1e-4);
  });
});

describe('tiles that are read when they are asked for', () => {
  /** A cube with every other face on the second tile. */
  const parted = (): PolyMesh => {
    const low = cube();
    const uvs = Float32Array.from(low.uvs ?? []);
    const faceUvs = Uint32Array.from(low.faceUvs ?? []);
    const own: number[] = [];
    faceUvs.forEach((t, c) => own.push(uvs[2 * t] + (Math.floor(c / 4) % 2), uvs[2 * t + 1]));
    return { ...low, uvs: Float32Array.from(own), faceUvs: Uint32Array.from(faceUvs, (_, c) => c) };
  };

  it('give what a map of all of them gives, and are in memory one at a time', async () => {
    const low = parted();
    const sculpt = onSphere(refineLevels(low, 3).mesh, 1);
    const options = { width: 64, height: 64, maps: ['scalar', 'vector', 'normal'] as const };
    const span = prepareSpan(low, sculpt, options);
    expect(span.tiles).toEqual([1001, 1002]);
    const fields = new Map(await Promise.all(span.tiles.map(async (tile) => [tile, (await extractTile(span, tile)).fields] as const)));
    const asked: string[] = [];
    const both = (kind: 'scalar' | 'vector' | 'normal'): [Map<number, Field>, TilesByNeed<{ tile: number }, Field>] => [
      new Map(span.tiles.map((tile) => [tile, known(fields.get(tile)?.get(kind))])),
      new TilesByNeed(
        span.tiles.map((tile) => ({ tile })),
        ({ tile }) => Promise.resolve((asked.push(`${kind} ${tile}`), known(fields.get(tile)?.get(kind)))),
        0,
      ),
    ];
    for (const kind of ['scalar', 'vector'] as const) {
      const [all, oneByOne] = both(kind);
      const whole = await proveDisplacement({ low, sculpt, maps: all, fields: all }, { kind, subdivisions: 3 });
      asked.length = 0;
      const read = await proveDisplacement({ low, sculpt, maps: oneByOne, fields: all }, { kind, subdivisions: 3 });
      expect(read.report).toEqual(whole.report);
      expect(Buffer.from(read.mesh.positions.buffer).equals(Buffer.from(whole.mesh.positions.buffer))).toBe(true);
      expect(asked).toEqual([`${kind} 1001`, `${kind} 1002`]);
    }
    const [all, oneByOne] = both('normal');
    asked.length = 0;
    const { report } = await proveNormals(span, oneByOne, { midpoint: 0, scale: 1 });
    expect(report).toEqual((await proveNormals(span, all, { midpoint: 0, scale: 1 })).report);
    // faces of both tiles lie among each other, and yet each is read once
    expect(asked).toEqual(['normal 1001', 'normal 1002']);
  });

  it('hold on to the first that fit and to the last, also where one was at hand already', async () => {
    const asked: number[] = [];
    const raster = (tile: number): Raster => ({ width: 1, height: 1, channels: 1, values: Float32Array.of(tile) });
    const sources = [{ tile: 1001 }, { tile: 1011 }];
    const read = ({ tile }: { tile: number }) => Promise.resolve((asked.push(tile), raster(tile)));
    const tiles = new TilesByNeed(sources, read, 0);
    tiles.hold(1011, raster(1011));
    for (const tile of [1011, 1011, 1001, 1001, 1011]) expect((await tiles.get(tile))?.values[0]).toBe(tile);
    expect(asked).toEqual([1001, 1011]);
    expect([tiles.has(1002), tiles.get(1002)]).toEqual([false, undefined]);
    asked.length = 0;
    const few = new TilesByNeed([...sources, { tile: 1012 }], read, 2);
    for (let n = 0; n < 2; n++) for (const tile of [1001, 1011, 1012]) await few.get(tile);
    expect(asked).toEqual([1001, 1011, 1012]); // two that fit, and the last
    expect([texelsHeld(1, 2 ** 22, 3), texelsHeld(4, 2 ** 22, 3), texelsHeld(100, 2 ** 26, 1)]).toEqual([2 ** 22, 2 ** 24, 2 ** 27]);
    const tile = proveNormals(prepareSpan(parted(), onSphere(refineLevels(parted(), 2).mesh, 1), { maps: ['normal'], width: 16, height: 16, match: 'rays' }), new Map([[1001, raster(1)]])); // prettier-ignore
    await expect(tile).rejects.toMatchObject({ code: 'NO_TILE', where: { tile: 1002 } });
  });
});
