import { TestBed } from '@angular/core/testing';
import type { JobInfo, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS, MEASURE_DEFAULTS } from '@estampe/contracts';
import { sampleAsset, sampleField, samplePart } from '../../../../test/samples';
import { FieldStore } from '../../shared/field-store';
import { MapsCard } from './maps-card';
import { measureRequest } from './measure-request';

const levels = samplePart()
  .levelList.slice(0, 3)
  .map((l) => ({ ...l, faces: 10 * 4 ** l.level, colours: l.level < 2 ? null : false }));
const asset = sampleAsset({ levelList: levels });
const field = sampleField({ missed: 1000, doubtful: 3 });

async function render(inputs: Record<string, unknown>) {
  const histogram = { from: -1, to: 2, counts: Uint32Array.of(10, 80, 10), total: 100 };
  TestBed.configureTestingModule({ providers: [{ provide: FieldStore, useValue: { spread: () => Promise.resolve(histogram) } }] });
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
  it('says that it was pressed, and leaves the settings to who listens', async () => {
    const { fixture, host } = await render({});
    let pressed = 0;
    fixture.componentInstance.extract.subscribe(() => pressed++);
    button(host, 'Extract').click();
    expect(pressed).toBe(1);
    expect(measureRequest({ ...MEASURE_DEFAULTS, toLevel: 2, tiles: [1002] }, [1001])).toEqual({ ...MEASURE_DEFAULTS, toLevel: 2 });
    expect(measureRequest({ ...MEASURE_DEFAULTS, tiles: [1002] }, [1001, 1002])).toMatchObject({ tiles: [1002] });
    expect(measureRequest({ ...MEASURE_DEFAULTS, kinds: ['occlusion'], matchSeams: true, fitTexels: true }, [1001])).toMatchObject({
      kinds: ['occlusion'],
      matchSeams: true,
      fitTexels: false,
    });
  });

  it('says which tiles are missing, and takes colours only from a level that has them', async () => {
    const tiled = { ...asset, tiles: [1001, 1002, 1011] };
    const span = { id: 's', settings: { ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 2 }, fields: [field] } as unknown as SpanInfo;
    const { fixture, host } = await render({ asset: tiled, span });
    expect(host.textContent).toContain('1 of 3 tiles');
    expect(host.textContent).toContain('Not measured yet: 1002, 1011');
    expect(host.querySelector('a[download]')?.getAttribute('download')).toBe('bell_scalar_L0-L2_field.1001.exr');
    fixture.componentRef.setInput('settings', { ...MEASURE_DEFAULTS, toLevel: 2, kinds: ['colour'] });
    await fixture.whenStable();
    expect(host.textContent).toContain('Level 2 has no point colours');
    expect(button(host, 'Extract').disabled).toBe(true);
  });

  it('does not offer a span from a level to itself, and says why', async () => {
    const { host } = await render({ settings: { ...MEASURE_DEFAULTS, fromLevel: 1, toLevel: 1 } });
    expect(button(host, 'Extract').disabled).toBe(true);
    expect(host.textContent).toContain('the heights map would be empty');
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
    expect((await render({ span: fitted })).host.textContent).toContain('0.2 to 0.05 mm');
    TestBed.resetTestingModule();
    const running = await render({
      span: { ...span, fields: [] },
      jobs: [{ id: 'j', kind: 'extract', spanId: 's', state: 'running', fraction: 0.42, stage: 'refining' } as JobInfo],
    });
    expect(running.host.textContent).toMatch(/42 %.*refining/);
  });
});
