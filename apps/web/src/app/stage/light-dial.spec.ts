import { rendered } from '../../../test/rendered';
import type { LightDirection } from '../shared/raking-light';
import { LightDial } from './light-dial';

const FLAT = 0.06;

async function render(light: LightDirection) {
  const page = await rendered(LightDial, { light });
  const dial = page.host.querySelector('svg') as SVGSVGElement;
  Object.assign(dial, { setPointerCapture: () => undefined });
  dial.getBoundingClientRect = () => ({ left: 100, top: 200, width: 54, height: 54 }) as DOMRect;
  const point = async (type: string, x: number, y: number, buttons = 1): Promise<void> => {
    // jsdom has no pointer events of its own
    const event = new MouseEvent(type, { clientX: 100 + 27 + x, clientY: 200 + 27 + y, buttons });
    dial.dispatchEvent(event);
    await page.settle();
  };
  const key = async (name: string): Promise<KeyboardEvent> => {
    const event = new KeyboardEvent('keydown', { key: name, cancelable: true });
    dial.dispatchEvent(event);
    await page.settle();
    return event;
  };
  return { ...page, dial, point, key, light: () => page.fixture.componentInstance.light() };
}

describe('the dial of the raking light', () => {
  it('is dragged: the way round is where it is pointed, the rim is the flattest light, the middle comes from the viewer', async () => {
    const page = await render({ azimuthRad: 0, elevationRad: 0.5 });
    await page.point('pointerdown', 12, 0);
    expect(page.light().azimuthRad).toBeCloseTo(Math.PI / 2);
    expect(page.light().elevationRad).toBeCloseTo(Math.acos(0.5));
    await page.point('pointermove', 0, 200); // far outside
    expect(page.light().azimuthRad).toBeCloseTo(Math.PI);
    expect(page.light().elevationRad).toBeCloseTo(FLAT);
    await page.point('pointermove', 0, 0);
    expect(page.light().elevationRad).toBeCloseTo(Math.PI / 2);
    await page.point('pointermove', -12, 0, 0); // let go
    expect(page.light().elevationRad).toBeCloseTo(Math.PI / 2);
  });

  it('turns and rises by the arrow keys, within its ends, and says where it stands', async () => {
    const page = await render({ azimuthRad: 0, elevationRad: 0.1 });
    expect((await page.key('ArrowLeft')).defaultPrevented).toBe(true);
    expect(page.dial.getAttribute('aria-valuenow')).toBe('353');
    await page.key('ArrowDown');
    expect(page.light().elevationRad).toBeCloseTo(FLAT);
    for (let k = 0; k < 20; k++) await page.key('ArrowUp');
    expect(page.light().elevationRad).toBe(1.5);
    expect(page.dial.getAttribute('aria-valuetext')).toBe('353 degrees round, 86 degrees up');
    expect((await page.key('g')).defaultPrevented).toBe(false); // the bench's keys pass
  });

  it('draws its mark where the light comes from', async () => {
    const page = await render({ azimuthRad: Math.PI / 2, elevationRad: 0 });
    const mark = page.host.querySelector('.mark');
    expect(Number(mark?.getAttribute('cx'))).toBeCloseTo(22.08, 2);
    expect(Number(mark?.getAttribute('cy'))).toBeCloseTo(0, 6);
  });
});
