import { MatAutocompleteHarness } from '@angular/material/autocomplete/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import { rendered } from '../../../../test/rendered';
import { AxisOrderField } from './axis-order-field';

async function render(axes = '', letters = 'UVN') {
  const page = await rendered(AxisOrderField, { axes, letters });
  const chosen: string[] = [];
  page.fixture.componentInstance.chosen.subscribe((order) => chosen.push(order));
  const choice = (channel: string): Promise<MatSelectHarness> =>
    page.loader.getHarness(MatSelectHarness.with({ selector: `[aria-label="${channel} holds"]` }));
  const held = async (): Promise<string[]> =>
    Promise.all(['Red', 'Green', 'Blue'].map(async (channel) => (await choice(channel)).getValueText()));
  const put = async (channel: string, text: string): Promise<void> => (await choice(channel)).clickOptions({ text });
  const search = (): Promise<MatAutocompleteHarness> => page.loader.getHarness(MatAutocompleteHarness);
  const heads = (): number[][] =>
    [...page.host.querySelectorAll('.head')].map((h) => [Number(h.getAttribute('cx')), Number(h.getAttribute('cy'))]);
  return { ...page, chosen, choice, held, put, heads, search };
}

describe('the axis order', () => {
  it('is the plain one while nothing is said, and offers every component with both signs', async () => {
    const page = await render();
    expect(await page.held()).toEqual(['+U, along U', '+V, along V', '+N, normal']);
    expect(await page.valueOf('Any of the 48')).toBe('R=+U G=+V B=+N');
    const red = await page.choice('Red');
    await red.open();
    const offered = await Promise.all((await red.getOptions()).map((o) => o.getText()));
    await red.close();
    expect(offered.map((o) => o.slice(0, 2))).toEqual(['+U', '\u2212U', '+V', '\u2212V', '+N', '\u2212N']);
    const search = await page.search();
    await search.focus();
    expect(await search.getOptions()).toHaveLength(48);
  });

  it('is found by any words of it, and taken from the list', async () => {
    const page = await render();
    const search = await page.search();
    await search.clear();
    await search.enterText('g=+n r=-v');
    const found = await search.getOptions();
    expect(await Promise.all(found.map((o) => o.getText()))).toEqual(['R=-V G=+N B=+U', 'R=-V G=+N B=-U']);
    await found[1].click();
    expect(page.chosen.at(-1)).toBe('R=-V G=+N B=-U');
  });

  it('stays an order when a channel is changed: the component that another channel had changes places', async () => {
    const page = await render('R=+U G=-V B=+N');
    await page.put('Red', '+N, normal');
    expect(page.chosen).toEqual(['R=+N G=-V B=+U']);
    await page.put('Green', '+V, along V'); // only the sign
    expect(page.chosen[1]).toBe('R=+N G=+V B=+U');
    await page.set({ axes: 'R=+U G=+V B=-N' });
    expect(await page.held()).toEqual(['+U, along U', '+V, along V', '\u2212N, against it']);
    await page.put('Blue', '+N, normal');
    expect(page.chosen[2]).toBe(''); // the plain order is none of its own
  });

  it('is one control of its field: named, and off with it', async () => {
    const page = await render();
    expect(await page.labels()).toEqual(['Channels', 'Any of the 48']);
    expect(page.host.querySelector('est-channel-order')?.getAttribute('role')).toBe('group');
  });

  it('is taken as text, in the letters of its space, or said to be none', async () => {
    const page = await render('', 'XYZ');
    await page.enter('Any of the 48', 'R=-Z G=+X B=+Y');
    expect(page.chosen).toEqual(['R=-Z G=+X B=+Y']);
    for (const wrong of ['R=+U G=+V B=+N', 'R=+X G=+X B=+Y', 'XYZ', '']) await page.enter('Any of the 48', wrong);
    expect(page.chosen).toHaveLength(1);
    expect(await page.errorOf('Any of the 48')).not.toBe('');
    await page.enter('Any of the 48', 'R=+X G=+Y B=+Z');
    expect(page.chosen[1]).toBe('');
    expect(await page.errorOf('Any of the 48')).toBe('');
  });

  it('is drawn as it is: a sign turns its arrow round, and a left-handed order is said to be one', async () => {
    const [plain, turned] = [await render(), await render('R=-U G=+V B=+N')];
    expect(plain.heads()[0][0]).toBeGreaterThan(52);
    expect(turned.heads()[0][0]).toBeLessThan(52);
    expect(turned.heads().slice(1)).toEqual(plain.heads().slice(1));
    expect(plain.text()).not.toContain('left-handed');
    expect(turned.text()).toContain('left-handed');
    expect((await render('R=+V G=+N B=+U')).text()).not.toContain('left-handed'); // turned round, not mirrored
  });
});
