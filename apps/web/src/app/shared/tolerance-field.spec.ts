import { rendered } from '../../../test/rendered';
import type { Tolerance } from './tolerance';
import { NO_TOLERANCE, pixelsPerUnit, toleranceLength } from './tolerance';
import { ToleranceField } from './tolerance-field';

async function render(tolerance: Partial<Tolerance> = {}) {
  const page = await rendered(ToleranceField, { tolerance: { ...NO_TOLERANCE, ...tolerance }, unit: 'mm', diagonal: 1300 });
  const edits: Tolerance[] = [];
  page.fixture.componentInstance.edited.subscribe((t) => edits.push(t));
  return { ...page, edits };
}

describe('a tolerance', () => {
  it('is a length in any of its three ways', () => {
    const { shot } = NO_TOLERANCE;
    expect(toleranceLength({ value: null, unit: 'pixels', shot }, 1300)).toBeNull();
    expect(toleranceLength({ value: 0.5, unit: 'units', shot }, 1300)).toBe(0.5);
    expect(toleranceLength({ value: 0.1, unit: 'percent', shot }, 1300)).toBeCloseTo(1.3);
    // 50 mm over 36 mm on 4096 pixels, a metre away: 5.69 pixels a millimetre
    expect(pixelsPerUnit(shot)).toBeCloseTo(5.689, 3);
    expect(toleranceLength({ value: 0.5, unit: 'pixels', shot }, 1300)).toBeCloseTo(0.0879, 4);
    // twice as far away a pixel covers twice as much
    expect(toleranceLength({ value: 0.5, unit: 'pixels', shot: { ...shot, distance: 2000 } }, 1)).toBeCloseTo(0.1758, 4);
  });

  it('says what it is as a length where it is not one already', async () => {
    expect((await render({ value: 0.2 })).host.querySelector('.meaning')).toBeNull();
    expect((await render({ value: 0.1, unit: 'percent' })).text()).toContain('= 1.3 mm');
    expect((await render({ value: 0.5, unit: 'pixels' })).text()).toContain('= 0.08789 mm, at 5.69 px/mm');
    expect((await render({ unit: 'percent' })).host.querySelector('.meaning')).toBeNull();
  });

  it('takes numbers as people type them, nothing as none, and marks what cannot be', async () => {
    const page = await render();
    for (const typed of ['0,05', '1/8', '']) await page.enter('Tolerance', typed);
    for (const typed of ['-1', '0', 'fine']) await page.enter('Tolerance', typed);
    expect(page.edits.map((t) => t.value)).toEqual([0.05, 0.125, null]);
    expect(page.field('Tolerance').getAttribute('aria-invalid')).toBe('true');
  });

  it('asks for the shot only where pixels are meant, and keeps the rest of it when one thing changes', async () => {
    const page = await render({ value: 1 });
    expect(page.text()).not.toContain('Focal length');
    await page.enter('Tolerance in', 'pixels');
    expect(page.edits[0]).toMatchObject({ value: 1, unit: 'pixels' });
    await page.set({ tolerance: page.edits[0] });
    await page.enter('Focal length', '85');
    await page.enter('Shot', ' the quay at dawn ');
    await page.enter('Sensor width', '-3');
    expect(page.edits.slice(1).map((t) => [t.shot.focalLength, t.shot.name, t.shot.sensorWidth])).toEqual([
      [85, 'the closest shot', 36],
      [50, 'the quay at dawn', 36],
    ]);
  });
});
