import { MAP_KIND_NAMES } from '@estampe/core';
import {
  bringInSchema,
  encodingSchema,
  eventSchema,
  EXTRACT_SETTINGS_DEFAULTS,
  extractSettingsSchema,
  MEASURE_DEFAULTS,
  measureSchema,
  parseMapRecord,
  proveRequestSchema,
  recipeSchema,
} from '../src';

describe('map record', () => {
  it('keeps what makes sense and names what does not', () => {
    const { record, refused } = parseMapRecord({
      kind: 'scalar',
      scale: 2,
      midpoint: 'half',
      tile: 12,
      base: 'level:2',
      depth: null,
      more: 1,
    });
    expect(record).toEqual({ kind: 'scalar', scale: 2, base: 'level:2' });
    expect(refused.sort()).toEqual(['midpoint', 'tile']);
  });
  it('that said -1 for padding that fills the tile says so in words', () => {
    expect(parseMapRecord({ padding: -1 }).record).toEqual({ padding: 'fill' });
    expect(parseMapRecord({ padding: 'fill' }).record).toEqual({ padding: 'fill' });
    expect(parseMapRecord({ padding: -2 }).refused).toEqual(['padding']);
  });
  it('never lets a scale of nothing or a foreign base through', () => {
    expect(parseMapRecord({ scale: 0, base: 'level:x', missedShare: 1.5, kind: 'anything' }).record).toEqual({});
  });
});

describe('a recipe', () => {
  const recipe = { asset: 'Bell', low: 'low.obj', sculpt: 'top.obj', maps: [{ kind: 'scalar' }] };
  it('needs hardly anything, and says what it takes for the rest', () => {
    expect(recipeSchema.parse(recipe)).toMatchObject({
      unit: 'unit',
      boundary: 'edge-and-corner',
      uv: 'linear',
      maps: [
        {
          kind: 'scalar',
          size: 2048,
          base: 'limit',
          match: 'auto',
          reach: 'auto',
          samples: 1,
          padding: 16,
          matchSeams: true,
          fitTexels: false,
        },
      ],
    });
  });
  it.each([
    ['no maps', { maps: [] }],
    ['a map of no kind', { maps: [{ size: 64 }] }],
    ['a kind that cannot be made', { maps: [{ kind: 'wishes' }] }],
    ['a base beyond the ladder', { maps: [{ kind: 'scalar', base: 'level:100' }] }],
    ['a tolerance in words', { tolerance: 'tight' }],
    ['a key that nobody reads', { polish: true }],
    ['an empty name', { asset: '   ' }],
  ])('refuses %s', (_, change) => {
    expect(recipeSchema.safeParse({ ...recipe, ...change }).success).toBe(false);
  });
  it('takes a tolerance as a length or as a share', () => {
    for (const tolerance of [0.2, '0.02%']) expect(recipeSchema.parse({ ...recipe, tolerance }).tolerance).toBe(tolerance);
  });
});

describe('what was written before an option was there', () => {
  it('reads as if the option had been left alone', () => {
    const later = new Set(['matchSeams', 'fitTexels', 'frame', 'forHeights']);
    const old = Object.fromEntries(Object.entries(EXTRACT_SETTINGS_DEFAULTS).filter(([key]) => !later.has(key)));
    expect(extractSettingsSchema.parse(old)).toEqual(EXTRACT_SETTINGS_DEFAULTS);
    const encoding = { depth: '16', midpoint: 0.5, scale: 1, fit: 'full', fileType: 'tif' };
    expect(encodingSchema.parse(encoding)).toEqual({ ...encoding, green: 'up', keepBlue: true, axes: '', each: null });
  });
});

describe('a pass over several maps', () => {
  it('wants at least one map, each once', () => {
    expect(measureSchema.parse(MEASURE_DEFAULTS)).toEqual(MEASURE_DEFAULTS);
    expect(measureSchema.safeParse({ ...MEASURE_DEFAULTS, kinds: [] }).error?.issues[0].message).toBe('choose at least one map');
    expect(measureSchema.safeParse({ ...MEASURE_DEFAULTS, kinds: ['scalar', 'normal', 'scalar'] }).error?.issues[0].message).toBe(
      'choose each map once',
    );
    expect(measureSchema.safeParse({ ...MEASURE_DEFAULTS, kinds: MAP_KIND_NAMES }).success).toBe(true);
    expect(measureSchema.safeParse({ ...MEASURE_DEFAULTS, kind: 'scalar' }).success).toBe(false);
  });
});

describe('requests', () => {
  const hash = 'a'.repeat(64);
  it('take the defaults as they are', () => {
    expect(extractSettingsSchema.parse(EXTRACT_SETTINGS_DEFAULTS)).toEqual(EXTRACT_SETTINGS_DEFAULTS);
  });
  it.each([
    ['a size beyond reason', extractSettingsSchema, { ...EXTRACT_SETTINGS_DEFAULTS, size: 1e7 }],
    ['a reach of nothing', extractSettingsSchema, { ...EXTRACT_SETTINGS_DEFAULTS, reach: 0 }],
    ['an unknown key', extractSettingsSchema, { ...EXTRACT_SETTINGS_DEFAULTS, colour: 'red' }],
    ['a scale below nothing', encodingSchema, { depth: '8', midpoint: 0.5, scale: -1, fit: '', fileType: 'tif' }],
    ['an infinite midpoint', encodingSchema, { depth: '8', midpoint: Infinity, scale: 1, fit: '', fileType: 'tif' }],
    ['no file', bringInSchema, { name: 'x', unit: 'mm', files: [] }],
    ['two parts of one name', bringInSchema, { name: 'x', unit: 'mm', parts: [{ name: 'a', files: [{ hash, name: 'a' }] }, { name: 'a', files: [{ hash, name: 'b' }] }] }], // prettier-ignore
    ['a name of blanks', bringInSchema, { name: '  ', unit: 'mm', files: [{ hash, name: 'a' }, { hash, name: 'b' }] }], // prettier-ignore
    ['a hash that is none', bringInSchema, { name: 'x', unit: 'mm', files: [{ hash: '../..', name: 'a' }, { hash, name: 'b' }] }], // prettier-ignore
    ['a tolerance of nothing', proveRequestSchema, { subdivisions: 2, tolerance: 0 }],
    ['an event of another kind', eventSchema, { type: 'news' }],
  ] as const)('refuse %s', (_, schema, value) => {
    expect(schema.safeParse(value).success).toBe(false);
  });
});
