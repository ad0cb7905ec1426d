import { rendered } from '../../../../test/rendered';
import { AxisOrderField } from './axis-order-field';

async function render(axes = '', letters = 'UVN') {
  const page = await rendered(AxisOrderField, { axes, letters });
  const chosen: string[] = [];
  page.fixture.componentInstance.chosen.subscribe((order) => chosen.push(order));
  const held = (): string[] => ['Red holds', 'Green holds', 'Blue holds'].map((label) => page.field(label).value);
  const heads = (): number[][] =>
    [...page.host.querySelectorAll('.head')].map((h) => [Number(h.getAttribute('cx')), Number(h.getAttribute('cy'))]);
  return { ...page, chosen, held, heads };
}

describe('the axis order', () => {
  it('is the plain one while nothing is said, and offers every component with both signs', async () => {
    const page = await render();
    expect(page.held()).toEqual(['+U', '+V', '+N']);
    expect(page.field('Any of the 48').value).toBe('R=+U G=+V B=+N');
    expect([...page.field('Red holds').querySelectorAll('option')].map((o) => o.value)).toEqual(['+U', '-U', '+V', '-V', '+N', '-N']);
    expect(new Set([...page.host.querySelectorAll('datalist option')].map((o) => (o as HTMLOptionElement).value)).size).toBe(48);
  });

  it('stays an order when a channel is changed: the component that another channel had changes places', async () => {
    const page = await render('R=+U G=-V B=+N');
    await page.enter('Red holds', '+N');
    expect(page.chosen).toEqual(['R=+N G=-V B=+U']);
    await page.enter('Green holds', '+V'); // only the sign
    expect(page.chosen[1]).toBe(''); // the plain order is none of its own
  });

  it('is taken as text, in the letters of its space, or said to be none', async () => {
    const page = await render('', 'XYZ');
    await page.enter('Any of the 48', 'R=-Z G=+X B=+Y');
    expect(page.chosen).toEqual(['R=-Z G=+X B=+Y']);
    for (const wrong of ['R=+U G=+V B=+N', 'R=+X G=+X B=+Y', 'XYZ', '']) await page.enter('Any of the 48', wrong);
    expect(page.chosen).toHaveLength(1);
    expect(page.host.querySelector('[role=alert]')?.textContent).toBeTruthy();
    expect(page.field('Any of the 48').getAttribute('aria-invalid')).toBe('true');
    await page.enter('Any of the 48', 'R=+X G=+Y B=+Z');
    expect(page.chosen[1]).toBe('');
    expect(page.host.querySelector('[role=alert]')).toBeNull();
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
