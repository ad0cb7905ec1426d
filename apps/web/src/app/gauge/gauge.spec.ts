import type { MapKind } from '@estampe/core';
import { TestBed } from '@angular/core/testing';
import type { EncodingSettings, FieldInfo, StudyInfo } from '@estampe/contracts';
import { sampleField } from '../../../test/samples';
import { FieldStore } from '../shared/field-store';
import { Room } from '../shared/room';
import type { Histogram, Lens } from '../workers/field-messages';
import { Gauge } from './gauge';
import { RestLens } from './rest-lens';
import { SweepChart } from './sweep-chart';

interface Drawn {
  data: { datasets: { data: { x: number; y: number }[]; backgroundColor?: string[]; pointRadius?: number[] }[] };
  options: { scales: Record<string, { min?: number; max?: number; display?: boolean; ticks?: { callback?: (v: number) => string } }> };
  destroyed: boolean;
}
const mockDrawn: Drawn[] = [];
/** Chart.js needs a real canvas; what it is given is what matters here. */
jest.mock('chart.js', () => {
  class Chart {
    static register(): void {
      return;
    }
    data: unknown;
    options: unknown;
    destroyed = false;
    constructor(_canvas: unknown, config: { data: unknown; options: unknown }) {
      this.data = config.data;
      this.options = config.options;
      mockDrawn.push(this as unknown as Drawn);
    }
    update(): void {
      return;
    }
    resize(): void {
      return;
    }
    destroy(): void {
      this.destroyed = true;
    }
  }
  const none = {};
  return {
    Chart, BarController: none, BarElement: none, LinearScale: none, LogarithmicScale: none, LineController: none, LineElement: none, PointElement: none,
  }; // prettier-ignore
});

const WIDTH = 456;
beforeAll(() => {
  Object.assign(globalThis, { ResizeObserver: class { observe(): void { return; } disconnect(): void { return; } } }); // prettier-ignore
  Object.defineProperty(HTMLElement.prototype, 'clientWidth', { configurable: true, get: () => WIDTH });
  Object.assign(HTMLElement.prototype, { setPointerCapture: () => undefined });
});
afterAll(() => Reflect.deleteProperty(HTMLElement.prototype, 'clientWidth'));
beforeEach(() => (mockDrawn.length = 0));

const histogram: Histogram = { from: -2, to: 2, counts: Uint32Array.from({ length: 240 }, (_, i) => i), total: 28680 };
const lens: Lens = { step: 0.5, half: 2.75, counts: Uint32Array.of(1, 2), inside: 3, isAbout: false, codes: [-0.25, 0.25] };
const asked: string[] = [];
const store = {
  spread: ({ id }: FieldInfo, axes: string) => {
    asked.push(`${id} ${axes}`);
    return Promise.resolve(histogram);
  },
  lens: () => Promise.resolve(lens),
  loadedIds: () => new Set(),
};
const field = sampleField({ min: -2, max: 2 });
const encoding: EncodingSettings = {
  depth: '8', midpoint: 0.5, scale: 8, fit: 'symmetric', fileType: 'png', green: 'up', keepBlue: true, axes: '', each: null,
}; // prettier-ignore

async function render(inputs: { fields?: FieldInfo[]; encoding?: EncodingSettings | null; kind?: MapKind; unit?: string } = {}) {
  asked.length = 0;
  TestBed.configureTestingModule({
    providers: [
      { provide: FieldStore, useValue: store },
      { provide: Room, useValue: { colour: (name: string) => name } },
    ],
  });
  const fixture = TestBed.createComponent(Gauge);
  for (const [key, value] of Object.entries({ fields: [field], encoding, unit: 'mm', ...inputs }))
    fixture.componentRef.setInput(key, value);
  const changed: EncodingSettings[] = [];
  fixture.componentInstance.changed.subscribe((e) => changed.push(e));
  const settle = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 10));
    await fixture.whenStable();
  };
  await settle();
  const host = fixture.nativeElement as HTMLElement;
  const typed = (label: string): HTMLInputElement =>
    [...host.querySelectorAll('label.typed')].find((l) => l.textContent.includes(label))?.querySelector('input') as HTMLInputElement;
  const handle = (label: string): HTMLElement => host.querySelector<HTMLElement>(`.handle[aria-label="${label}"]`) as HTMLElement;
  return { fixture, host, changed, settle, typed, handle };
}

describe('Gauge', () => {
  it('draws heights over scene units and codes, and what is cut off in madder', async () => {
    await render({ encoding: { ...encoding, scale: 2 } });
    const [chart] = mockDrawn;
    const [bars] = chart.data.datasets;
    expect(bars.data).toHaveLength(240);
    const { x, codes } = chart.options.scales;
    // the range ends at -1 and 1; the axis shows all that was measured
    expect(x.min).toBeLessThan(-2);
    expect(x.max).toBeGreaterThan(2);
    expect(codes.min).toBeCloseTo(((x.min ?? 0) / 2 + 0.5) * 255, 6);
    expect(bars.backgroundColor).toEqual(bars.data.map((bar) => (Math.abs(bar.x) > 1 ? '--madder' : '--ink')));
    // codes that do not exist have no number
    expect(codes.ticks?.callback?.(-3)).toBe('');
    expect(codes.ticks?.callback?.(12.5)).toBe('');
    expect(codes.ticks?.callback?.(128)).toBe('128');
  });

  it('moves an end by typing, by keys and by hand, and the encoding follows only when it is let go', async () => {
    const { host, changed, settle, typed, handle } = await render();
    const low = typed('low end');
    low.value = '-6';
    low.dispatchEvent(new Event('change'));
    expect(changed[0].scale).toBeCloseTo(10, 9);
    expect(-changed[0].midpoint * changed[0].scale).toBeCloseTo(-6, 1);
    low.value = '6';
    low.dispatchEvent(new Event('change'));
    await settle();
    expect(low.getAttribute('aria-invalid')).toBe('true');
    handle('high end').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight' }));
    expect(changed[1].scale).toBeGreaterThan(8);
    const midpoint = typed('midpoint');
    midpoint.value = 'exact';
    midpoint.dispatchEvent(new Event('change'));
    expect(changed[2]).toMatchObject({ midpoint: 128 / 255, fit: 'by hand' });
    const pointer = (type: string, clientX: number): boolean =>
      handle('high end').dispatchEvent(Object.assign(new MouseEvent(type, { clientX, buttons: 1 }), { pointerId: 1 }));
    jest.spyOn(host.querySelector('.box') as HTMLElement, 'getBoundingClientRect').mockReturnValue({ left: 0, width: WIDTH } as DOMRect);
    pointer('pointerdown', 400);
    pointer('pointermove', 300);
    await settle();
    expect(changed).toHaveLength(3);
    const under = Number(typed('high end').value);
    expect(under).toBeLessThan(4);
    pointer('pointerup', 300);
    expect(changed[3].fit).toBe('by hand');
    expect((1 - changed[3].midpoint) * changed[3].scale).toBeCloseTo(under, 1);
  });

  it('has no ends for floats, normals and three ranges, and reads vectors in the order that they are stored in', async () => {
    expect((await render({ encoding: { ...encoding, depth: 'half' } })).host.querySelectorAll('.handle')).toHaveLength(0);
    TestBed.resetTestingModule();
    expect((await render({ kind: 'normal' })).host.querySelectorAll('.handle')).toHaveLength(0);
    TestBed.resetTestingModule();
    const axes = 'R=-N G=+U B=+V';
    const shared = await render({ kind: 'vector', encoding: { ...encoding, axes } });
    expect(asked).toContain(`f ${axes}`);
    expect(shared.host.querySelectorAll('.handle')).toHaveLength(3);
    expect(shared.host.querySelector('est-rest-lens')).toBeNull();
    TestBed.resetTestingModule();
    const range = { midpoint: 0.5, scale: 1 };
    const three = await render({ kind: 'vector', encoding: { ...encoding, each: [range, range, range] } });
    expect(three.host.querySelectorAll('.handle')).toHaveLength(0);
    expect(three.host.textContent).toContain('a range for each channel');
  });

  it('has a table for those who cannot see the bars, and says what to do where there are none', async () => {
    const { host, settle } = await render();
    [...host.querySelectorAll('button')].find((b) => b.textContent.trim() === 'as a table')?.click();
    await settle();
    const rows = [...host.querySelectorAll('.rows tbody tr')].map((r) =>
      [...r.querySelectorAll('td, th')].map((c) => c.textContent.trim()),
    );
    expect(rows).toHaveLength(12);
    expect(rows[0].slice(0, 2)).toEqual(['-2', '-1.67']);
    expect(rows.map((r) => Number(r[2].replace(/\D/g, ''))).reduce((a, b) => a + b, 0)).toBe(28680);
    expect(host.querySelector('est-rest-lens')).not.toBeNull();
    TestBed.resetTestingModule();
    expect((await render({ fields: [], encoding: null })).host.textContent).toContain('Once the span is extracted');
  });
});

describe('the lens at rest', () => {
  it('says how far rest is from a code, in words as in lines', async () => {
    const fixture = TestBed.createComponent(RestLens);
    fixture.componentRef.setInput('lens', lens);
    fixture.componentRef.setInput('unit', 'mm');
    await fixture.whenStable();
    const host = fixture.nativeElement as HTMLElement;
    expect(host.textContent).toContain('3 texels; rest is 0.25 mm off a code');
    const codes = [...host.querySelectorAll('line.code')].map((l) => Number(l.getAttribute('x1')));
    const rest = Number(host.querySelector('line.rest')?.getAttribute('x1'));
    expect(codes[0] + codes[1]).toBeCloseTo(2 * rest, 9);
    fixture.componentRef.setInput('lens', { ...lens, codes: [-0.5, 0, 0.5] });
    await fixture.whenStable();
    expect(host.textContent).toContain('rest is a code');
  });
});

describe('the sweep', () => {
  const study = {
    knee: 2,
    sweep: [1, 2, 3].map((subdivisions) => ({
      subdivisions,
      faces: 4 ** subdivisions,
      rms: 1 / subdivisions,
      p99: 3 / subdivisions,
      max: 9,
    })),
  } as unknown as StudyInfo;

  it('draws error over subdivisions with a ring at the knee, says the same as a table, and clears up', async () => {
    const fixture = TestBed.createComponent(SweepChart);
    fixture.componentRef.setInput('empty', 'Prove the map first.');
    await fixture.whenStable();
    const host = fixture.nativeElement as HTMLElement;
    expect(host.textContent).toContain('Prove the map first.');
    expect(mockDrawn).toHaveLength(0);
    fixture.componentRef.setInput('study', study);
    await fixture.whenStable();
    const [rms, p99] = mockDrawn[0].data.datasets;
    expect(rms.data).toEqual([{ x: 1, y: 1 }, { x: 2, y: 0.5 }, { x: 3, y: 1 / 3 }]); // prettier-ignore
    expect(rms.pointRadius).toEqual([2.5, 6, 2.5]);
    expect(p99.data[0].y).toBe(3);
    expect(host.querySelector('tr.now td')?.textContent.trim()).toBe('2 enough');
    fixture.componentRef.setInput('study', null);
    await fixture.whenStable();
    expect(mockDrawn[0].destroyed).toBe(true);
  });
});
