import type { MeasureRequest } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { rendered } from '../../../../test/rendered';
import { KindSettings } from './kind-settings';

async function render(settings: Partial<MeasureRequest>, inputs: Record<string, unknown> = {}) {
  const page = await rendered(KindSettings, { settings: { ...MEASURE_DEFAULTS, ...settings }, unit: 'mm', ...inputs });
  const edits: Partial<MeasureRequest>[] = [];
  page.fixture.componentInstance.edited.subscribe((change) => edits.push(change));
  return { ...page, edits };
}
const labels = (host: HTMLElement): string[] => [...host.querySelectorAll('label')].map((l) => l.textContent.trim());

describe('settings of the kinds', () => {
  it('asks only for what the chosen maps need', async () => {
    expect(labels((await render({ kinds: ['scalar'] })).host)).toEqual([]);
    expect(labels((await render({ kinds: ['vector'] })).host)).toEqual(['Vectors in']);
    expect(labels((await render({ kinds: ['scalar', 'normal'] })).host)).toEqual(['Normals in']);
    expect(labels((await render({ kinds: ['scalar', 'occlusion'] })).host)).toEqual(['Occlusion rays', 'Looks as far as (mm)', 'Seed']);
    expect(labels((await render({ kinds: ['scalar', 'curvature', 'hollows'] })).host)).toEqual(['Averaged within (mm)']);
    expect(labels((await render({ kinds: ['scalar', 'colour'] })).host)).toEqual(['Point colours are', 'Darkened by']);
  });

  it('asks where values are read only where that is open: without heights, in a stack', async () => {
    const alone = await render({ kinds: ['normal'] });
    expect(labels(alone.host)).toContain('Read');
    await alone.enter('Read', 'alone');
    expect(alone.edits).toEqual([{ forHeights: false }]);
    expect(labels((await render({ kinds: ['normal', 'scalar'] })).host)).not.toContain('Read');
    expect(labels((await render({ kinds: ['normal'] }, { free: true })).host)).not.toContain('Read');
    expect(labels((await render({ kinds: ['vector'] })).host)).not.toContain('Read');
  });

  it('says on a free sculpt what vectors cannot see there', async () => {
    expect((await render({ kinds: ['vector'] }, { free: true })).text()).toContain('it sees nothing under an overhang');
    expect((await render({ kinds: ['vector'] })).text()).not.toContain('overhang');
  });

  it('takes frames, rays and colour space from their lists', async () => {
    const page = await render({ kinds: ['vector', 'normal', 'occlusion', 'colour'] });
    await page.enter('Vectors in', 'mikk');
    await page.enter('Normals in', 'object');
    await page.enter('Occlusion rays', '256');
    await page.enter('Point colours are', 'linear');
    expect(page.edits).toEqual([{ vectorFrame: 'mikk' }, { frame: 'object' }, { occlusionRays: 256 }, { colourSpace: 'linear' }]);
  });

  it.each([
    ['2,5', 2.5, 'false'],
    [' 1/4 ', 0.25, 'false'],
    ['', null, 'false'],
    ['-3', undefined, 'true'],
    ['0', undefined, 'true'],
    ['far', undefined, 'true'],
  ])('reads the distance %j as %j', async (typed, length, invalid) => {
    const page = await render({ kinds: ['occlusion'], occlusionDistance: 7 });
    expect(page.field('Looks as far as').value).toBe('7');
    await page.enter('Looks as far as', typed);
    expect(page.edits).toEqual(length === undefined ? [] : [{ occlusionDistance: length }]);
    expect(page.field('Looks as far as').getAttribute('aria-invalid')).toBe(invalid);
  });

  it('takes whole numbers as a seed, and no others', async () => {
    const page = await render({ kinds: ['occlusion'] });
    for (const typed of ['1.5', '-1', '4294967296', 'x', '4294967295']) await page.enter('Seed', typed);
    expect(page.edits).toEqual([{ seed: 4294967295 }]);
  });

  it('ticks the map that darkens colours along with it, and asks for the strength only then', async () => {
    const page = await render({ kinds: ['scalar', 'colour'] });
    expect(labels(page.host)).not.toContain('Strength');
    await page.enter('Darkened by', 'hollows');
    expect(page.edits).toEqual([{ shade: 'hollows', kinds: ['scalar', 'hollows', 'colour'] }]);
    await page.set({ settings: { ...MEASURE_DEFAULTS, ...page.edits[0] } });
    await page.enter('Strength', '0.25');
    await page.enter('Darkened by', 'none');
    expect(page.edits.slice(1)).toEqual([{ shadeStrength: 0.25 }, { shade: 'none' }]);
  });
});
