import { TestBed } from '@angular/core/testing';
import type { AssetDetail, JobInfo, MeasureRequest, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS, MEASURE_DEFAULTS } from '@estampe/contracts';
import { FieldStore } from '../../shared/field-store';
import { MapsCard } from './maps-card';

const asset = {
  unit: 'mm',
  spans: [],
  levelList: [0, 1, 2].map((level) => ({ level, faces: 10 * 4 ** level, meshId: '', points: 0, detail: null })),
} as unknown as AssetDetail;
const field = {
  id: 'f',
  fit: null,
  width: 512,
  height: 512,
  min: -1,
  max: 2,
  reach: 2.1,
  match: 'stack',
  baseLevel: 3,
  covered: 9000,
  missed: 1000,
  doubtful: 3,
  rays: 10000,
  seconds: 61,
};

async function render(inputs: Record<string, unknown>) {
  const histogram = { from: -1, to: 2, counts: Uint32Array.of(10, 80, 10), total: 100 };
  TestBed.configureTestingModule({ providers: [{ provide: FieldStore, useValue: { load: () => Promise.resolve({ histogram }) } }] });
  const fixture = TestBed.createComponent(MapsCard);
  fixture.componentRef.setInput('asset', asset);
  fixture.componentRef.setInput('settings', { ...MEASURE_DEFAULTS, toLevel: 2 });
  for (const [key, value] of Object.entries(inputs)) fixture.componentRef.setInput(key, value);
  await fixture.whenStable();
  return { fixture, host: fixture.nativeElement as HTMLElement };
}
const button = (host: HTMLElement, text: string): HTMLButtonElement =>
  [...host.querySelectorAll('button')].find((b) => b.textContent.trim() === text) as HTMLButtonElement;

describe('Maps card', () => {
  it('sends exactly the settings that it shows', async () => {
    const { fixture, host } = await render({});
    const sent: MeasureRequest[] = [];
    fixture.componentInstance.extract.subscribe((s) => sent.push(s));
    button(host, 'Extract').click();
    expect(sent).toEqual([{ ...MEASURE_DEFAULTS, toLevel: 2 }]);
  });

  it('asks for several maps of one pass, and leaves out what a normal map alone cannot have', async () => {
    const both = await render({ settings: { ...MEASURE_DEFAULTS, toLevel: 2, matchSeams: true } });
    const edits: unknown[] = [];
    both.fixture.componentInstance.edited.subscribe((e) => edits.push(e));
    const [heights, normals] = both.host.querySelectorAll<HTMLInputElement>('.checks input');
    normals.click();
    heights.click();
    expect(edits).toEqual([{ kinds: ['scalar', 'normal'] }, { kinds: [] }]);
    TestBed.resetTestingModule();
    const alone = await render({ settings: { ...MEASURE_DEFAULTS, toLevel: 2, kinds: ['normal'], matchSeams: true } });
    const sent: MeasureRequest[] = [];
    alone.fixture.componentInstance.extract.subscribe((s) => sent.push(s));
    button(alone.host, 'Extract').click();
    expect(sent[0]).toMatchObject({ kinds: ['normal'], matchSeams: false });
  });

  it('emits only its own settings when a list changes, not the event of the list', async () => {
    const { fixture, host } = await render({});
    const edits: unknown[] = [];
    fixture.componentInstance.edited.subscribe((e) => edits.push(e));
    const size = host.querySelector<HTMLSelectElement>('#size');
    if (size) size.value = '4096';
    size?.dispatchEvent(new Event('change', { bubbles: true }));
    expect(edits).toEqual([{ size: 4096 }]);
  });

  it('does not offer a span from a level to itself, and says why', async () => {
    const { host } = await render({ settings: { ...MEASURE_DEFAULTS, fromLevel: 1, toLevel: 1 } });
    expect(button(host, 'Extract').disabled).toBe(true);
    expect(host.textContent).toContain('the map would be empty');
  });

  it('shows results with what to do about missed texels, and progress while it runs', async () => {
    const span = { id: 's', settings: { ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 2 }, fields: [field] } as unknown as SpanInfo;
    const done = await render({ span });
    expect(done.host.textContent).toMatch(/10 % of the texels found no sculpt.*overhang/);
    expect(done.host.textContent).toContain('1:01');
    expect(done.host.textContent).toMatch(/0\.03 % are doubtful/);
    TestBed.resetTestingModule();
    const byHand = { ...span, settings: { ...span.settings, reach: 0.5 } };
    expect((await render({ span: byHand })).host.textContent).toMatch(/reach was set to 0\.5 mm: make it longer/);
    TestBed.resetTestingModule();
    const fitted = { ...span, fields: [{ ...field, fit: { reads: 100, before: 0.2, after: 0.05 } }] };
    expect((await render({ span: fitted })).host.textContent).toMatch(/RMS 0\.05 mm, 75 % less/);
    TestBed.resetTestingModule();
    const running = await render({
      span: { ...span, fields: [] },
      jobs: [{ id: 'j', kind: 'extract', spanId: 's', state: 'running', fraction: 0.42, stage: 'refining' } as JobInfo],
    });
    expect(running.host.textContent).toMatch(/42 %.*refining/);
  });
});
