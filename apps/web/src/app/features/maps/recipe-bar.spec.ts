import { MatMenuHarness } from '@angular/material/menu/testing';
import type { AssetDetail, MeasureRecipe, SavedRecipe } from '@estampe/contracts';
import { MEASURE_DEFAULTS, readRecipeFile, writeRecipeFile } from '@estampe/contracts';
import { rendered } from '../../../../test/rendered';
import { RecipeBar } from './recipe-bar';
import { whyNot } from '../../shared/recipe-fit';

const asset = {
  name: 'Bell', production: 'Tidewrack', usual: null, unit: 'mm', tiles: [1001], stackKind: 'stack', levelList: [{ colours: null }, { colours: true }, { colours: false }],
} as unknown as AssetDetail; // prettier-ignore
const recipe = (change: object = {}, unit: MeasureRecipe['unit'] = 'mm'): SavedRecipe => ({
  id: '5b1d4f0e-0000-4000-8000-000000000001', name: 'Fine heights', unit, settings: { ...MEASURE_DEFAULTS, toLevel: 2, size: 4096, ...change },
}); // prettier-ignore

describe('a recipe', () => {
  it('fits a part, or says why it does not', () => {
    expect(whyNot(recipe(), asset)).toBeNull();
    const cases: [SavedRecipe, RegExp][] = [
      [recipe({ toLevel: 4 }), /from level 0 to 4, and Bell has the levels 0 to 2/],
      [recipe({ reach: 3 }, 'cm'), /lengths are in cm, and Bell is in mm/],
      [recipe({ tiles: [1001, 1002] }), /tile 1002, and Bell uses 1001/],
      [recipe({ kinds: ['colour'] }), /point colours, and level 2 of Bell has none/],
    ];
    for (const [one, reason] of cases) expect(whyNot(one, asset)).toMatch(reason);
    expect(whyNot(recipe({}, 'cm'), asset)).toBeNull(); // no length in it
    expect(whyNot(recipe({ match: 'stack' }), { ...asset, stackKind: 'free' })).toMatch(/free sculpt/);
  });

  it('goes into a file and comes back the same; a damaged one is named with its place', () => {
    const { id, ...plain } = recipe({ kinds: ['scalar', 'normal'], tiles: [1001] });
    expect(id).toBeDefined();
    expect(readRecipeFile(writeRecipeFile(plain), 'a.json')).toEqual(plain);
    expect(readRecipeFile('{', 'a.json')).toMatch(/^a\.json is not JSON/);
    expect(readRecipeFile(writeRecipeFile({ ...plain, settings: { ...plain.settings, size: 5 } }), 'a.json')).toMatch(
      /^a\.json: settings\.size: /,
    );
    expect(readRecipeFile('{"what":"something else"}', 'a.json')).toMatch(/^a\.json: /);
  });

  it('is taken where it fits, kept back with its reason where not, saved under a name, imported', async () => {
    const odd = { ...recipe({ toLevel: 4 }), id: '5b1d4f0e-0000-4000-8000-000000000002', name: 'For the buoy' };
    const page = await rendered(RecipeBar, { asset, settings: MEASURE_DEFAULTS, recipes: [recipe(), odd] });
    const { fixture, host } = page;
    const seen: unknown[] = [];
    fixture.componentInstance.applied.subscribe((s) => seen.push(s.size));
    fixture.componentInstance.saved.subscribe((r) => seen.push([r.name, r.unit, r.settings.size]));
    fixture.componentInstance.removed.subscribe((id) => seen.push(id));
    fixture.componentInstance.used.subscribe((id) => seen.push(['usual', id]));
    expect(await page.optionsOf('Recipe')).toEqual(['Fine heights', 'For the buoy (does not fit)']);
    await page.enter('Recipe', 'For the buoy (does not fit)');
    expect(host.textContent).toContain('and Bell has the levels 0 to 2');
    await page.enter('Recipe', 'Fine heights');
    expect(host.textContent).not.toContain('levels 0 to 2');
    await page.enter('Name for these settings', ' Mine ');
    const menu = await page.loader.getHarness(MatMenuHarness);
    await menu.open();
    const [sent] = await menu.getItems({ text: /Export/ });
    expect(await (await sent.host()).getAttribute('download')).toBe('mine.recipe.json');
    await menu.close();
    await page.press('Save');
    await menu.open();
    await menu.clickItem({ text: /^Start every asset of Tidewrack from Fine heights/ });
    fixture.componentRef.setInput('asset', { ...asset, usual: recipe() });
    await fixture.whenStable();
    expect(host.textContent).toContain('Assets of Tidewrack start from Fine heights.');
    await menu.open();
    expect((await menu.getItems({ text: /^Start every/ })).length).toBe(0);
    await menu.clickItem({ text: /^Start no asset from Fine heights any more/ });
    await menu.open();
    await menu.clickItem({ text: /^Delete/ });
    const drop = async (text: string): Promise<void> => {
      const picker = host.querySelector('input[type=file]') as HTMLInputElement;
      Object.defineProperty(picker, 'files', { configurable: true, value: [{ name: 'a.json', text: () => Promise.resolve(text) }] });
      Object.defineProperty(picker, 'value', { configurable: true, writable: true, value: '' });
      picker.dispatchEvent(new Event('change'));
      await new Promise((resolve) => setTimeout(resolve, 5));
      await fixture.whenStable();
    };
    await drop(writeRecipeFile(recipe({ size: 512 })));
    await drop(writeRecipeFile(recipe({ toLevel: 9 })));
    expect(host.textContent).toMatch(/a\.json does not fit here\. It measures from level 0 to 9/);
    expect(seen).toEqual([4096, ['Mine', 'mm', 2048], ['usual', recipe().id], ['usual', null], recipe().id, 512]);
  });
});
