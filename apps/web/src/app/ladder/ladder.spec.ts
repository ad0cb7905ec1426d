import { TestBed } from '@angular/core/testing';
import type { JobInfo, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { Ladder } from './ladder';

const span = (id: string, change: Partial<SpanInfo['settings']> = {}, rest: Partial<SpanInfo> = {}): SpanInfo =>
  ({
    id,
    settings: { ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 3, ...change },
    fields: [{}],
    outOfDate: false,
    ...rest,
  }) as unknown as SpanInfo;

async function render(spans: SpanInfo[], jobs: JobInfo[] = [], chosen: string | null = null, tiles = [1001]) {
  const asset = {
    unit: 'mm',
    stackKind: 'stack',
    tiles,
    spans,
    levelList: [0, 1, 2, 3].map((level) => ({ level, faces: 8 * 4 ** level, detail: level / 10 })),
  };
  const fixture = TestBed.createComponent(Ladder);
  fixture.componentRef.setInput('asset', asset);
  fixture.componentRef.setInput('jobs', jobs);
  fixture.componentRef.setInput('chosenId', chosen);
  const drawn: unknown[] = [];
  const picked: string[] = [];
  fixture.componentInstance.draw.subscribe((d) => drawn.push(d));
  fixture.componentInstance.choose.subscribe((id) => picked.push(id));
  await fixture.whenStable();
  const host = fixture.nativeElement as HTMLElement;
  const labels = (): string[] => [...host.querySelectorAll('.bracket')].map((b) => b.getAttribute('aria-label') ?? '');
  return { fixture, host, drawn, picked, labels };
}
const enter = (element: Element | null): boolean => element?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' })) ?? false;

beforeAll(() => {
  Object.assign(globalThis, { ResizeObserver: class { observe(): void { return; } disconnect(): void { return; } } }); // prettier-ignore
});

describe('Ladder', () => {
  it('says of each rung what it adds, in pixels of the shot too, how it came onto the sculpt, and which one the Stage shows', async () => {
    const { fixture, host } = await render([]);
    const transfer = { projectedShare: 0.985, refused: 0, rms: 0.1234, max: 1, folds: 2, reach: 3, seconds: 12.6 };
    const levels = [0, 1].map((level) => ({ level, faces: 8, detail: level === 0 ? null : 0.5, ...(level === 1 ? { transfer } : {}) }));
    fixture.componentRef.setInput('asset', { unit: 'mm', stackKind: 'stack', tiles: [1001], spans: [], levelList: levels });
    fixture.componentRef.setInput('pixelsPerUnit', 3);
    fixture.componentRef.setInput('shown', 1);
    await fixture.whenStable();
    const said = [...host.querySelectorAll('.rung')].map((rung) => rung.getAttribute('aria-label'));
    expect(said).toEqual(['Level 0, 8 faces', 'Level 1, 8 faces, adds 0.5 mm 1.5 px, 98.5 % off 0.12, 2 folds 13 s, on the Stage']);
    expect(host.querySelectorAll('.poor')).toHaveLength(2);
    expect(host.querySelector('.level.shown')?.textContent).toBe('1');
  });
  it('draws spans by keyboard, whichever rung comes first, and says what it waits for', async () => {
    const { fixture, host, drawn } = await render([]);
    const rungs = [...host.querySelectorAll('.rung')];
    enter(rungs[3]);
    await fixture.whenStable();
    expect(host.querySelector('.foot')?.textContent).toBe('Now the other rung.');
    enter(rungs[1]);
    enter(rungs[2]);
    enter(rungs[2]); // the same rung twice takes it back
    expect(drawn).toEqual([{ fromLevel: 1, toLevel: 3 }]);
  });
  it('says how many tiles of a span are there, and what is held back', async () => {
    const jobs = [{ kind: 'extract', spanId: 's2', state: 'paused' } as JobInfo];
    const { labels } = await render([span('s1'), span('s2')], jobs, null, [1001, 1002]);
    expect(labels().map((l) => l.split(', ').at(-1))).toEqual(['1 of 2 tiles', 'paused']);
  });
  it('shows several spans of one stack side by side, each by its letter and its state', async () => {
    const spans = [span('s1'), span('s2', { kind: 'normal' }, { fields: [] }), span('s3', { fromLevel: 2 }, { outOfDate: true })];
    const jobs = [{ kind: 'extract', spanId: 's2', state: 'running' } as JobInfo];
    const { host, labels, picked } = await render(spans, jobs, 's2');
    expect(labels()).toEqual([
      'Heights, level 0 to 3, 2048 texels, ready',
      'Normals, level 0 to 3, 2048 texels, running',
      'Heights, level 2 to 3, 2048 texels, out of date',
    ]);
    expect([...host.querySelectorAll('.bracket text')].map((t) => t.textContent)).toEqual(['S', 'N', 'S']);
    const places = [...host.querySelectorAll('.bracket rect')].map((r) => [r.getAttribute('x'), r.getAttribute('y')].join());
    expect(new Set(places).size).toBe(3); // no letter covers another
    expect(host.querySelector('.bracket.chosen')?.getAttribute('aria-label')).toContain('Normals');
    enter(host.querySelectorAll('.bracket')[0]);
    expect(picked).toEqual(['s1']);
  });
  it('keeps the newest spans, and an older one while it is chosen', async () => {
    const many = Array.from({ length: 9 }, (_, i) => span(`s${i}`, { size: 100 + i }));
    expect((await render(many)).labels().map((l) => /(\d+) texels/.exec(l)?.[1])).toEqual([
      '101',
      '102',
      '103',
      '104',
      '105',
      '106',
      '107',
      '108',
    ]);
    expect((await render(many, [], 's0')).labels().map((l) => /(\d+) texels/.exec(l)?.[1])).toContain('100');
  });
});
