import {
  bringInSchema,
  encodingSchema,
  eventSchema,
  EXTRACT_SETTINGS_DEFAULTS,
  extractSettingsSchema,
  parseMapRecord,
  proveRequestSchema,
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
  it('never lets a scale of nothing or a foreign base through', () => {
    expect(parseMapRecord({ scale: 0, base: 'level:x', missedShare: 1.5, kind: 'anything' }).record).toEqual({});
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
    ['one file only', bringInSchema, { name: 'x', unit: 'mm', files: [{ hash, name: 'a' }] }],
    ['a name of blanks', bringInSchema, { name: '  ', unit: 'mm', files: [{ hash, name: 'a' }, { hash, name: 'b' }] }], // prettier-ignore
    ['a hash that is none', bringInSchema, { name: 'x', unit: 'mm', files: [{ hash: '../..', name: 'a' }, { hash, name: 'b' }] }], // prettier-ignore
    ['a tolerance of nothing', proveRequestSchema, { subdivisions: 2, tolerance: 0 }],
    ['an event of another kind', eventSchema, { type: 'news' }],
  ] as const)('refuse %s', (_, schema, value) => {
    expect(schema.safeParse(value).success).toBe(false);
  });
});
