import type { MeasureRequest, PartInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { sampleAsset, samplePart } from '../../../../test/samples';
import { rendered } from '../../../../test/rendered';
import { PartTicks } from './part-ticks';

const settings: MeasureRequest = { ...MEASURE_DEFAULTS, kinds: ['scalar', 'normal'], size: 1024, toLevel: 3 };
const bell = samplePart();
const clapper = samplePart({ id: 'p2', name: 'Clapper' });
const low = samplePart().levelList.slice(0, 2);

async function render(parts: PartInfo[], shown: Partial<MeasureRequest> = {}) {
  const page = await rendered(PartTicks, { asset: sampleAsset({ parts }), settings: { ...settings, ...shown }, ticked: [] });
  const copied: (readonly string[])[] = [];
  page.fixture.componentInstance.copied.subscribe((ids) => copied.push(ids));
  return { ...page, copied, ticked: () => page.fixture.componentInstance.ticked() };
}

describe('the other parts', () => {
  it('are listed without the open one, with what each would be measured by', async () => {
    const recipe: MeasureRequest = { ...MEASURE_DEFAULTS, kinds: ['vector', 'occlusion'], size: 4096, fromLevel: 1, toLevel: 3 };
    const page = await render([bell, clapper, samplePart({ id: 'p3', name: 'Yoke', recipe })]);
    const rows = [...page.host.querySelectorAll('.row')].map((l) => l.textContent.replace(/\s+/g, ' ').trim());
    expect(rows).toEqual(['Clapper these settings', 'Yoke vectors, occlusion, 4096, 1 to 3']);
  });

  it('are ticked and unticked', async () => {
    const page = await render([bell, clapper]);
    await page.tick('Clapper');
    expect(page.ticked()).toEqual(['p2']);
    await page.tick('Clapper');
    expect(page.ticked()).toEqual([]);
  });

  it('cannot be ticked where the settings do not fit, and say why; by a recipe of their own they can', async () => {
    const short = samplePart({ id: 'p2', name: 'Clapper', levelList: low });
    const page = await render([bell, short]);
    expect(await (await page.tickBox('Clapper')).isDisabled()).toBe(true);
    expect(page.text()).toContain('It measures from level 0 to 3, and Clapper has the levels 0 to 1.');
    const own = await render([bell, { ...short, recipe: { ...settings, toLevel: 1 } }]);
    expect(await (await own.tickBox('Clapper')).isDisabled()).toBe(false);
    const free = await render([bell, samplePart({ id: 'p2', name: 'Clapper', stackKind: 'free' })], { match: 'stack' });
    expect(free.text()).toContain('Clapper has a free sculpt');
  });

  it('take the settings shown where they are ticked and the settings fit', async () => {
    const own = { ...settings, toLevel: 1 };
    const page = await render([bell, clapper, samplePart({ id: 'p3', name: 'Yoke', levelList: low, recipe: own })]);
    expect(page.button('Copy these settings to the ticked parts').disabled).toBe(true);
    await page.tick('Clapper');
    await page.tick('Yoke'); // measured by its own recipe; three levels it does not have
    await page.press('Copy these settings to the ticked parts');
    expect(page.copied).toEqual([['p2']]);
  });
});
