import { TestBed } from '@angular/core/testing';
import type { AssetDetail, ExtractSettings, JobInfo, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { MapsCard } from './maps-card';

const asset = {
  unit: 'mm',
  levelList: [0, 1, 2].map((level) => ({ level, faces: 10 * 4 ** level, meshId: '', points: 0, detail: null })),
} as unknown as AssetDetail;
const field = {
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
  const fixture = TestBed.createComponent(MapsCard);
  fixture.componentRef.setInput('asset', asset);
  fixture.componentRef.setInput('settings', { ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 2 });
  for (const [key, value] of Object.entries(inputs)) fixture.componentRef.setInput(key, value);
  await fixture.whenStable();
  return { fixture, host: fixture.nativeElement as HTMLElement };
}
const button = (host: HTMLElement, text: string): HTMLButtonElement =>
  [...host.querySelectorAll('button')].find((b) => b.textContent.trim() === text) as HTMLButtonElement;

describe('Maps card', () => {
  it('sends exactly the settings that it shows', async () => {
    const { fixture, host } = await render({});
    const sent: ExtractSettings[] = [];
    fixture.componentInstance.extract.subscribe((s) => sent.push(s));
    button(host, 'Extract').click();
    expect(sent).toEqual([{ ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 2 }]);
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
    const { host } = await render({ settings: { ...EXTRACT_SETTINGS_DEFAULTS, fromLevel: 1, toLevel: 1 } });
    expect(button(host, 'Extract').disabled).toBe(true);
    expect(host.textContent).toContain('the map would be empty');
  });

  it('shows results with what to do about missed texels, and progress while it runs', async () => {
    const span = { id: 's', settings: { ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 2 }, fields: [field] } as unknown as SpanInfo;
    const done = await render({ span });
    expect(done.host.textContent).toMatch(/10\.00 % of the texels.*longer/);
    expect(done.host.textContent).toContain('1:01');
    const running = await render({
      span: { ...span, fields: [] },
      jobs: [{ id: 'j', kind: 'extract', spanId: 's', state: 'running', fraction: 0.42, stage: 'refining' } as JobInfo],
    });
    expect(running.host.textContent).toMatch(/42 %.*refining/);
  });
});
