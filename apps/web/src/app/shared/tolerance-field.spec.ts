import { rendered } from '../../../test/rendered';
import type { Tolerance } from './tolerance';
import { pixelsPerUnit, proposedTolerance, toleranceLength } from './tolerance';
import { ToleranceField } from './tolerance-field';

const shot = { name: 'the closest shot', imageWidth: 4096, focalLength: 50, sensorWidth: 36, distance: 1000 };
const NONE: Tolerance = { value: null, unit: 'units', shot };

async function render(tolerance: Partial<Tolerance> | null = {}) {
  const page = await rendered(ToleranceField, { tolerance: tolerance && { ...NONE, ...tolerance }, unit: 'mm', diagonal: 1300 });
  const edits: (Tolerance | null)[] = [];
  page.fixture.componentInstance.edited.subscribe((t) => edits.push(t));
  return { ...page, edits };
}

describe('a tolerance', () => {
  it('is a length in any of its three ways', () => {
    expect(toleranceLength({ value: null, unit: 'pixels', shot }, 1300)).toBeNull();
    expect(toleranceLength({ value: 0.5, unit: 'units', shot }, 1300)).toBe(0.5);
    expect(toleranceLength({ value: 0.1, unit: 'percent', shot }, 1300)).toBeCloseTo(1.3);
    // 50 mm over 36 mm on 4096 pixels, a metre away: 5.69 pixels a millimetre
    expect(pixelsPerUnit(shot)).toBeCloseTo(5.689, 3);
    expect(toleranceLength({ value: 0.5, unit: 'pixels', shot }, 1300)).toBeCloseTo(0.0879, 4);
    // twice as far away a pixel covers twice as much
    expect(toleranceLength({ value: 0.5, unit: 'pixels', shot: { ...shot, distance: 2000 } }, 1)).toBeCloseTo(0.1758, 4);
  });

  it('says what it is as a length where it is not one already, and why there is no verdict', async () => {
    expect((await render({ value: 0.2 })).host.querySelector('.meaning')).toBeNull();
    expect((await render({ value: 0.1, unit: 'percent' })).text()).toContain('= 1.3 mm');
    expect((await render({ value: 0.5, unit: 'pixels' })).text()).toContain('= 0.08789 mm, at 5.69 px/mm');
    const none = await render({ unit: 'percent' });
    expect(none.text()).toContain('figures and no verdict');
    await none.press('Propose one');
    expect(none.edits).toEqual([null]);
  });

  it('is proposed while nobody has chosen: half a pixel of a shot that the asset fills', async () => {
    const { value, unit, shot: proposed } = proposedTolerance(1300);
    expect([value, unit]).toEqual([0.5, 'pixels']);
    expect(pixelsPerUnit(proposed) * 1300).toBeCloseTo(proposed.imageWidth, -2);
    const page = await render(null);
    expect(page.text()).toContain('Proposed: half a pixel');
    await page.enter('Tolerance', '2');
    expect(page.edits).toEqual([{ value: 2, unit, shot: proposed }]);
  });

  it('takes numbers as people type them, nothing as none, and says what cannot be', async () => {
    const page = await render({ value: 3 });
    for (const typed of ['0,05', '1/8', '']) await page.enter('Tolerance', typed);
    for (const [typed, error] of [['-1', 'More than 0.'], ['0', 'More than 0.'], ['fine', '\u201cfine\u201d is not a number.']]) {
      await page.enter('Tolerance', typed);
      expect(await page.errorOf('Tolerance')).toBe(error);
    } // prettier-ignore
    expect(page.edits.map((t) => t?.value)).toEqual([0.05, 0.125, null]);
  });

  it('says the same length in another unit, and asks for the shot only where pixels are meant', async () => {
    const page = await render({ value: 1.3 });
    expect(page.text()).not.toContain('Focal length');
    await page.enter('Tolerance in', '% of diagonal');
    expect(page.edits).toEqual([{ value: 0.1, unit: 'percent', shot }]);
    await page.set({ tolerance: page.edits[0] });
    await page.enter('Tolerance in', 'pixels of a shot');
    expect(page.edits[1]).toEqual({ value: 7.4, unit: 'pixels', shot });
    await page.set({ tolerance: page.edits[1] });
    await page.enter('Focal length', '85');
    await page.enter('Shot', 'the quay at dawn');
    await page.enter('Sensor width', '-3');
    expect(page.edits.slice(2).map((t) => [t?.shot.focalLength, t?.shot.name, t?.shot.sensorWidth])).toEqual([
      [85, 'the closest shot', 36],
      [50, 'the quay at dawn', 36],
    ]);
  });

  it('keeps what is being typed when another value comes meanwhile', async () => {
    const page = await render({ value: 2 });
    const field = page.host.querySelector('input') as HTMLInputElement;
    field.value = '0.5';
    field.dispatchEvent(new Event('input'));
    await page.set({ tolerance: { ...NONE, value: 3 } });
    expect(field.value).toBe('0.5');
    field.dispatchEvent(new Event('blur'));
    expect(page.edits.at(-1)).toMatchObject({ value: 0.5 });
    // left alone, it says what is known
    await page.set({ tolerance: { ...NONE, value: 4 } });
    expect(field.value).toBe('4');
  });
});
