import type { AssetDetail, MeasureRequest } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { MatSliderThumbHarness } from '@angular/material/slider/testing';
import { rendered } from '../../../../test/rendered';
import { sampleAsset, samplePart } from '../../../../test/samples';
import { MeasureSettings } from './measure-settings';

const levelList = samplePart()
  .levelList.slice(0, 3)
  .map((l) => ({ ...l, faces: 10 * 4 ** l.level, colours: l.level < 2 ? null : false }));

async function render(settings: Partial<MeasureRequest>, asset: Partial<AssetDetail> = {}) {
  const page = await rendered(MeasureSettings, {
    asset: sampleAsset({ levelList, ...asset }),
    settings: { ...MEASURE_DEFAULTS, toLevel: 2, ...settings },
  });
  const edits: Partial<MeasureRequest>[] = [];
  page.fixture.componentInstance.edited.subscribe((change) => edits.push(change));
  return { ...page, edits };
}
/** What all kinds have in common. */
const COMMON = ['From level', 'To level', 'Map size', 'Measured from', 'Matched by', 'Reach', 'Open borders', 'UVs subdivide', 'Samples a texel', 'Padding']; // prettier-ignore
const asked = async (settings: Partial<MeasureRequest>, asset: Partial<AssetDetail> = {}): Promise<string[]> =>
  (await (await render(settings, asset)).labels()).filter((label) => !COMMON.includes(label));

describe('what a pass measures', () => {
  it('is any kind by letter and name, several of one pass, always in one order', async () => {
    const page = await render({});
    const named = ['S heights', 'V vectors', 'N normals', 'O occlusion', 'C curvature', 'H hollows', 'T thickness', 'P colours'];
    for (const name of named) expect(await (await page.tickBox(name)).isChecked()).toBe(name === 'S heights');
    await page.tick('N normals');
    await page.set({ settings: { ...MEASURE_DEFAULTS, toLevel: 2, kinds: ['occlusion'] } });
    // with vectors alone, what else is measured belongs to where the vectors lead
    await page.tick('V vectors');
    expect(page.edits).toEqual([{ kinds: ['scalar', 'normal'] }, { kinds: ['vector', 'occlusion'], forHeights: false }]);
    expect(await (await page.tickBox('P colours')).isDisabled()).toBe(true);
  });

  it('is all tiles or those that are ticked', async () => {
    const page = await render({}, { tiles: [1001, 1002, 1011] });
    await page.tick('1002');
    await page.set({ settings: { ...MEASURE_DEFAULTS, toLevel: 2, tiles: [1001, 1011] } });
    expect(await (await page.tickBox('1002')).isChecked()).toBe(false);
    await page.tick('1002');
    expect(page.edits).toEqual([{ tiles: [1001, 1011] }, { tiles: null }]);
  });

  it('is told one setting at a time, and folded settings say what they are', async () => {
    const page = await render({});
    await page.enter('Map size', '4096 x 4096');
    await page.enter('Padding', 'fill the tile');
    await page.enter('Reach', '2,5');
    await page.tick('match seams');
    expect(page.edits).toEqual([{ size: 4096 }, { padding: 'fill' }, { reach: 2.5 }, { matchSeams: true }]);
    await page.set({ settings: { ...MEASURE_DEFAULTS, toLevel: 2, base: 'polygons', reach: 2.5, samples: 2, padding: 'fill' } });
    expect(page.text()).toMatch(/Surfaces ?its polygons, reach 2\.5/);
    expect(page.text()).toMatch(/Texels ?4 samples, filled/);
    // what the store says is shown, not told again
    expect(page.edits).toHaveLength(4);
    expect(await page.valueOf('Reach')).toBe('2,5'); // as it was typed
  });

  it('asks only for what the chosen maps need', async () => {
    expect(await asked({ kinds: ['scalar'] })).toEqual([]);
    expect(await asked({ kinds: ['vector'] })).toEqual(['Vectors in']);
    expect(await asked({ kinds: ['scalar', 'normal'] })).toEqual(['Normals in']);
    expect(await asked({ kinds: ['scalar', 'occlusion'] })).toEqual(['Occlusion rays', 'Seed', 'Looks as far as']);
    expect(await asked({ kinds: ['scalar', 'thickness'] })).toEqual(['Looks through up to']);
    expect(await asked({ kinds: ['scalar', 'curvature', 'hollows'] })).toEqual(['Averaged within']);
    expect(await asked({ kinds: ['scalar', 'colour'] })).toEqual(['Point colours are', 'Darkened by']);
  });

  it('asks where values are read only where that is open: without heights, in a stack', async () => {
    const alone = await render({ kinds: ['normal'] });
    await alone.enter('Read', 'at the same parameters');
    expect(alone.edits).toEqual([{ forHeights: false }]);
    expect(await asked({ kinds: ['normal', 'scalar'] })).not.toContain('Read');
    expect(await asked({ kinds: ['normal'] }, { stackKind: 'free' })).not.toContain('Read');
    expect(await asked({ kinds: ['vector'] })).not.toContain('Read');
  });

  it('says on a free sculpt what vectors cannot see there', async () => {
    expect((await render({ kinds: ['vector'] }, { stackKind: 'free' })).text()).toContain('it sees nothing under an overhang');
    expect((await render({ kinds: ['vector'] })).text()).not.toContain('overhang');
  });

  it('takes frames, rays and colour space from their lists', async () => {
    const page = await render({ kinds: ['vector', 'normal', 'occlusion', 'colour'] });
    await page.enter('Vectors in', 'tangent space (MikkTSpace)');
    await page.enter('Normals in', 'object space');
    await page.enter('Occlusion rays', '256 a sample');
    await page.enter('Point colours are', 'linear');
    expect(page.edits).toEqual([{ vectorFrame: 'mikk' }, { frame: 'object' }, { occlusionRays: 256 }, { colourSpace: 'linear' }]);
  });

  it.each([
    ['2,5', 2.5, ''],
    [' 1/4 ', 0.25, ''],
    ['', null, ''],
    ['-3', undefined, 'At least'],
    ['0', undefined, 'At least'],
    ['far', undefined, '\u201cfar\u201d is not a number.'],
  ])('reads the distance %j as %j', async (typed, length, error) => {
    const page = await render({ kinds: ['occlusion'], occlusionDistance: 7 });
    expect(await page.valueOf('Looks as far as')).toBe('7');
    await page.enter('Looks as far as', typed);
    expect(page.edits).toEqual(length === undefined ? [] : [{ occlusionDistance: length }]);
    expect(await page.errorOf('Looks as far as')).toContain(error);
    expect((await page.errorOf('Looks as far as')) === '').toBe(error === '');
  });

  it('takes whole numbers as a seed, and no others, and says so', async () => {
    const page = await render({ kinds: ['occlusion'] });
    for (const typed of ['1.5', '-1', '4294967296', 'x', '4294967295']) await page.enter('Seed', typed);
    expect(page.edits).toEqual([{ seed: 4294967295 }]);
    await page.enter('Seed', '1.5');
    expect(await page.errorOf('Seed')).toBe('A whole number.');
    // what was typed and refused stays when another setting changes
    await page.set({ settings: { ...MEASURE_DEFAULTS, toLevel: 2, kinds: ['occlusion'], size: 512 } });
    expect(await page.valueOf('Seed')).toBe('1.5');
  });

  it('ticks the map that darkens colours along with it, and asks for the strength only then', async () => {
    const page = await render({ kinds: ['scalar', 'colour'] });
    expect(page.text()).not.toContain('Strength');
    await page.enter('Darkened by', 'hollows');
    expect(page.edits).toEqual([{ shade: 'hollows', kinds: ['scalar', 'hollows', 'colour'] }]);
    await page.set({ settings: { ...MEASURE_DEFAULTS, toLevel: 2, ...page.edits[0] } });
    await (await page.loader.getHarness(MatSliderThumbHarness)).setValue(0.25);
    await page.enter('Darkened by', 'nothing');
    expect(page.edits.slice(1)).toEqual([{ shadeStrength: 0.25 }, { shade: 'none' }]);
  });
});
