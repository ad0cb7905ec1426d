import type { ExtractOptions, Field, MapKind, PolyMesh } from '../src';
import { encodeField, encodeMap, extractTile, fieldRecord, figuresOverTiles, INSIDE, MISSED, prepareSpan, proveDisplacement, refineLevels, fieldRecordOf } from '../src'; // prettier-ignore
import { fitFieldInPlace } from '../src/extract/fit-tile';
import { shadeColoursInPlace } from '../src/extract/shade-colours';
import { sampleRaster } from '../src/raster/sample';
import { cube, known, onSphere, plane, random } from './shapes';

const low = cube();
/** A ball with a drift to the side and ripples, coloured. */
const sculpt: PolyMesh = (() => {
  const ball = onSphere(refineLevels(low, 4).mesh, 1);
  const positions = ball.positions.map((x, i) => x + 0.05 * Math.sin(6 * ball.positions[i - (i % 3) + ((i + 1) % 3)]));
  return { ...ball, positions, colors: ball.positions.map((x) => 0.5 + 0.4 * Math.sin(5 * x)) };
})();
const KINDS: readonly MapKind[] = ['scalar', 'vector', 'normal', 'occlusion', 'curvature', 'hollows', 'colour'];
const measure = (options: Partial<ExtractOptions>) => extractTile(prepareSpan(low, sculpt, { width: 96, height: 96, base: 'polygons', occlusionRays: 16, ...options }), 1001); // prettier-ignore

describe('seams', () => {
  it.each(['derivative', 'mikk', 'object'] as const)('of vectors close, each side in its own frame: %s', async (vectorFrame) => {
    const gap = async (matchSeams: boolean): Promise<number> => {
      const field = known((await measure({ maps: ['vector'], vectorFrame, matchSeams })).fields.get('vector'));
      const { report } = await proveDisplacement(
        { low, sculpt, maps: new Map([[1001, field]]) },
        { kind: 'vector', frame: vectorFrame, frameLevel: 4, base: 'polygons', subdivisions: 4 },
      );
      return report.seamGap.rms;
    };
    expect(await gap(true)).toBeLessThan(0.02 * (await gap(false)));
  });

  it('of every kind read nearer to what was measured there; normals stay unit vectors, openness a share', async () => {
    const { fields, fits } = await measure({ maps: KINDS, matchSeams: true });
    expect([...fits.keys()]).toEqual(KINDS);
    for (const { reads, before, after } of fits.values()) {
      expect(reads).toBeGreaterThan(1000);
      // the ball has no hollows along its seams
      expect(after).toBeLessThanOrEqual(0.75 * before);
    }
    const normals = known(fields.get('normal'));
    for (let i = 0; i < normals.coverage.length; i++) if (normals.coverage[i] === INSIDE) expect(Math.hypot(...normals.values.subarray(3 * i, 3 * i + 3))).toBeCloseTo(1, 5); // prettier-ignore
    expect(Math.max(...known(fields.get('occlusion')).values)).toBeLessThanOrEqual(1);
  });

  it('are the same in whatever order the maps of a pass are asked for', async () => {
    const [one, other] = [
      await measure({ maps: ['normal', 'scalar'], matchSeams: true }),
      await measure({ maps: ['scalar', 'normal'], matchSeams: true }),
    ];
    for (const kind of ['scalar', 'normal'] as const) expect(one.fields.get(kind)).toEqual(other.fields.get(kind));
  });
});

describe('fitted texels', () => {
  it('read right for vectors and normals too, and the record says what was done', async () => {
    const maps = ['vector', 'normal', 'occlusion'] as const;
    const span = prepareSpan(low, sculpt, { width: 96, height: 96, maps, fitTexels: true, occlusionRays: 4, base: 'polygons' });
    const { fields, fits } = await extractTile(span, 1001);
    expect([...fits.keys()]).toEqual(['vector', 'normal']);
    for (const { before, after } of fits.values()) expect(after).toBeLessThan(0.6 * before);
    const record = (kind: MapKind) => fieldRecord(span, kind, 1001, known(fields.get(kind)), { unit: 'mm', lowHash: '' });
    expect(record('vector')).toMatchObject({ texelsFitted: true, seamsMatched: false, samples: 2 });
    expect(record('occlusion')).toMatchObject({ texelsFitted: false, samples: 2 });
  });

  it('are refused where a range makes no sense', () => {
    for (const padding of [NaN, -5, 1.5]) expect(() => prepareSpan(low, sculpt, { padding })).toThrow(/padding is/);
    expect(() => prepareSpan(low, sculpt, { samples: 17 })).toThrow(/samples is 17/);
  });
});

describe('figures of an encoding', () => {
  const field = (values: number[], channels: 1 | 3 = 1, coverage = new Uint8Array(values.length / channels).fill(INSIDE)): Field => ({ width: values.length / channels, height: 1, channels, values: Float32Array.from(values), coverage }); // prettier-ignore

  it('are over class 1: neither padding nor what lies outside counts for the ends of a vector map', () => {
    const vectors = field([0.626, -0.2, 0.3, 9, 9, 9, 0, 0, 0], 3, Uint8Array.of(1, 2, 0));
    const { figures } = encodeMap(
      vectors,
      fieldRecordOf({ kind: 'vector', frame: 'object' }),
      { depth: 'float', midpoint: 0, scale: 1 },
      null,
    );
    expect(figures.ends?.map((e) => e.min)).toEqual([0.626, -0.2, 0.3].map(Math.fround));
    expect([figures.min, figures.max]).toEqual([-0.2, 0.626].map(Math.fround));
  });

  it('tell the rounding of a float file as it is, not as single precision sees it', () => {
    const next = random(4);
    const values = Array.from({ length: 500 }, () => Math.fround(next()));
    const encoding = { depth: 'float', midpoint: 0.5, scale: 3 } as const;
    const { figures } = encodeField(field(values), encoding, null);
    const true2 = values.reduce((s, d) => s + (3 * (Math.fround(d / 3 + 0.5) - 0.5) - d) ** 2, 0) / values.length;
    expect(figures.roundingRms / Math.sqrt(true2)).toBeCloseTo(1, 9);
    expect(figures.roundingRms).toBeGreaterThan(0);
  });

  it('of several tiles are over all of them, weighted by their texels', () => {
    const encoding = { depth: '8', midpoint: 128 / 255, scale: 1 } as const;
    const tiles = [field(new Array<number>(90).fill(0.1)), field(new Array<number>(10).fill(2))].map((f) => ({ inside: f.values.length, figures: encodeField(f, encoding, null).figures })); // prettier-ignore
    const over = figuresOverTiles(tiles);
    expect(over.clippedShare).toBeCloseTo(0.1, 12);
    expect(over.roundingRms).toBeCloseTo(Math.sqrt(0.9 * tiles[0].figures.roundingRms ** 2 + 0.1 * tiles[1].figures.roundingRms ** 2), 12);
    expect([over.min, over.max]).toEqual([tiles[0].figures.min, tiles[1].figures.max]);
    // floats step by the largest value of any tile
    const half = [0.01, 100].map((d) => ({
      inside: 1,
      figures: encodeField(field([d]), { depth: 'half', midpoint: 0, scale: 1 }, null).figures,
    }));
    expect(figuresOverTiles(half).step).toBe(2 ** (6 - 10));
  });
});

it('colours stay as they are where what darkens them found nothing', () => {
  const make = (values: number[], coverage: number[], channels: 1 | 3): Field => ({ width: coverage.length, height: 1, channels, values: Float32Array.from(values), coverage: Uint8Array.from(coverage) }); // prettier-ignore
  const colours = make([0.5, 0.5, 0.5, 0.5, 0.5, 0.5], [INSIDE, INSIDE], 3);
  shadeColoursInPlace(colours, make([0.5, 0], [INSIDE, MISSED], 1), { by: 'occlusion', strength: 1, space: 'linear' });
  expect([...colours.values]).toEqual([0.25, 0.25, 0.25, 0.5, 0.5, 0.5]);
});

it('where nothing was found on a seam, both sides are led to the middle, so that what was filled does not crack', () => {
  const values = Float32Array.from({ length: 64 }, (_, i) => (i % 8 < 4 ? 1 : 3));
  const field: Field = { width: 8, height: 8, channels: 1, values, coverage: new Uint8Array(64).fill(MISSED) };
  const reads = { uvs: Float64Array.of(0.2, 0.5, 0.8, 0.5), weights: Float32Array.of(1000, 1000), places: Uint32Array.of(1, 1), values: Float32Array.of(NaN, NaN) }; // prettier-ignore
  const at = (u: number): number => sampleRaster(field, 0, u, 0.5, 'bilinear');
  fitFieldInPlace(field, 'scalar', { seams: [reads], samples: null, sidesAlike: false });
  expect([at(0.2), at(0.8)]).toEqual([1, 3]);
  fitFieldInPlace(field, 'scalar', { seams: [reads], samples: null, sidesAlike: true });
  for (const u of [0.2, 0.8]) expect(at(u)).toBeCloseTo(2, 3);
});

it('a ring of seams does not move when the plane around it is whole', async () => {
  // one island, no seam but the border: nothing is matched
  const { fits } = await extractTile(prepareSpan(plane(2), plane(8, 1, 0.1), { width: 16, height: 16, matchSeams: true }), 1001);
  expect(fits.size).toBe(0);
});
