import type { MeasureRecipe } from '../src';
import { assetSchema, bringInSchema, mapRecipeSchema, MEASURE_DEFAULTS, pieceSchema, plainName, readRecipeFile, recipeSchema, saveEncodingSchema, titleOf, writeRecipeFile } from '../src'; // prettier-ignore

const HASH = 'a'.repeat(64);
const id = (k: number): string => `00000000-0000-4000-8000-00000000000${k}`;

describe('names', () => {
  it.each([
    ['Harbour bell, Clapper', 'harbour-bell-clapper'],
    ['../../etc/passwd', 'etc-passwd'],
    ['Façade  №7', 'facade-no7'],
    ['C:\\temp\\x', 'c-temp-x'],
    ['--', 'asset'],
    ['漢字', 'asset'],
    ['x'.repeat(200), 'x'.repeat(60)],
  ])('%j is %j in any folder', (name, plain) => expect(plainName(name)).toBe(plain));

  it('of parts carry the name of their asset, but the part that bears it, and the only one, do not say it twice', () => {
    const title = (part: string, ...others: string[]): string =>
      titleOf({ name: 'Harbour bell', part: { id: id(1), name: part }, parts: [part, ...others].map((name) => ({ name })) as never });
    expect(title('Clapper', 'Harbour bell')).toBe('Harbour bell, Clapper');
    expect(title('Harbour bell', 'Clapper')).toBe('Harbour bell');
    expect(title('Body')).toBe('Harbour bell');
  });
});

describe('bringing in', () => {
  const files = ['low.obj', 'top.obj'].map((name) => ({ hash: HASH, name }));
  it('makes a new asset unless one is named, of files or of parts, and needs a file and a name', () => {
    expect(bringInSchema.parse({ name: ' Bell ', unit: 'mm', files })).toEqual({
      name: 'Bell',
      unit: 'mm',
      parts: [{ name: 'Bell', files }],
      assetId: null,
      partId: null,
      uvSet: null,
      up: 'y',
    });
    expect(bringInSchema.parse({ name: 'Clapper', unit: 'mm', files, assetId: id(2) }).assetId).toBe(id(2));
    for (const wrong of [
      { name: ' ' },
      { unit: 'yd' },
      { files: [] },
      { parts: [] },
      { up: 'x' },
      { assetId: 'bell' },
      { more: 1 },
      { files: Array(65).fill(files[0]) },
    ])
      expect(bringInSchema.safeParse({ name: 'Bell', unit: 'mm', up: 'y', files, ...wrong }).success).toBe(false);
  });

  it('never gives an asset without parts', () => {
    const part = {
      id: id(3),
      name: 'Bell',
      stackKind: 'stack',
      levelList: [],
      diagonal: 1,
      tiles: [1001],
      pictureHash: HASH,
      uv: null,
      groups: null,
      states: [],
      statePlace: 0,
      stamp: 's0',
      recipe: null,
    };
    const asset = { ...part, id: id(4), production: 'Tidewrack', unit: 'mm', up: 'y', lowFaces: 1, topFaces: 4, levels: 2, createdAt: '', part: { id: id(3), name: 'Bell' }, findings: [], spans: [], deliveries: [] }; // prettier-ignore
    expect(assetSchema.safeParse({ ...asset, parts: [part] }).success).toBe(true);
    expect(assetSchema.safeParse({ ...asset, parts: [] }).success).toBe(false);
    expect(assetSchema.safeParse({ ...asset, parts: [{ ...part, recipe: { ...MEASURE_DEFAULTS, size: 3 } }] }).success).toBe(false);
  });
});

describe('a recipe as a file', () => {
  const recipe: MeasureRecipe = {
    name: 'All at 4K',
    unit: 'mm',
    settings: { ...MEASURE_DEFAULTS, size: 4096, kinds: ['vector', 'normal'], radius: 3 },
  };
  it('comes back as it was', () => expect(readRecipeFile(writeRecipeFile(recipe), 'a.json')).toEqual(recipe));

  it.each([
    ['no JSON', 'radius: 3', 'bell.json is not JSON; choose a recipe that was saved here.'],
    ['another file', '{"name":"x"}', /^bell\.json: .*; choose a recipe that was saved here, or mend that place\.$/],
    ['a size that cannot be', writeRecipeFile(recipe).replace('4096', '4'), /^bell\.json: settings\.size: /],
    ['a kind twice', writeRecipeFile(recipe).replace('"normal"', '"vector"'), /choose each map once/],
    ['a later version', writeRecipeFile(recipe).replace('"version": 1', '"version": 2'), /^bell\.json: version: /],
  ])('says of %s what is wrong and where', (_what, text, sentence) => {
    expect(readRecipeFile(text, 'bell.json')).toEqual(typeof sentence === 'string' ? sentence : expect.stringMatching(sentence));
  });
});

describe('a map of a delivery', () => {
  it('is darkened only by what can darken, as strongly as can be', () => {
    expect(mapRecipeSchema.parse({ kind: 'colour', shade: 'hollows', strength: 1 })).toMatchObject({ shade: 'hollows', strength: 1 });
    for (const wrong of [{ shade: 'normal' }, { strength: -0.1 }, { strength: 2 }])
      expect(mapRecipeSchema.safeParse({ kind: 'colour', ...wrong }).success).toBe(false);
  });
  it.each(['0.1%', 0.2])('takes %j as a tolerance', (tolerance) =>
    expect(recipeSchema.safeParse({ asset: 'a', low: 'l', sculpt: 's', maps: [{ kind: 'scalar' }], tolerance }).success).toBe(true),
  );
  it.each(['0.1 percent', 0, -1, '%'])('does not take %j as one', (tolerance) =>
    expect(recipeSchema.safeParse({ asset: 'a', low: 'l', sculpt: 's', maps: [{ kind: 'scalar' }], tolerance }).success).toBe(false),
  );
});

describe('what crosses the wire', () => {
  it('is bounded: pieces, versions and scales', () => {
    const piece = { jobId: id(1), spanId: null, tile: 1001, kind: 'scalar', width: 256, height: 256, y0: 0, rows: 8, range: 2, data: '' };
    expect(pieceSchema.safeParse(piece).success).toBe(true);
    for (const wrong of [{ data: 'x'.repeat(7001) }, { width: 513 }, { rows: 0 }, { range: 0 }, { y0: -1 }])
      expect(pieceSchema.safeParse({ ...piece, ...wrong }).success).toBe(false);
    const encoding = { depth: '16', midpoint: 0.5, scale: 4, fit: 'full', fileType: 'tif' };
    expect(saveEncodingSchema.parse({ encoding, basedOn: 0 }).encoding).toMatchObject({ green: 'up', axes: '', each: null });
    for (const wrong of [{ encoding: { ...encoding, scale: 0 }, basedOn: 0 }, { encoding, basedOn: -1 }, { encoding }])
      expect(saveEncodingSchema.safeParse(wrong).success).toBe(false);
  });
});
