import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import type { AssetDetail, JobInfo, LevelEditRequest, PartInfo, TransferRequest } from '@estampe/contracts';
import { transferSettingsSchema } from '@estampe/contracts';
import { sampleAsset, samplePart } from '../../../../test/samples';
import { BRUSH_WORKER } from '../../workers/worker-tokens';
import { LevelsCard } from './levels-card';

const FIGURES = { projectedShare: 0.98, refused: 3, rms: 0.0257, max: 0.4, folds: 2, reach: 3, seconds: 11.04 };
const level = (n: number, transfer?: typeof FIGURES) => ({ level: n, meshId: `m${n}`, points: 10, faces: 8 * 4 ** n, detail: n === 0 ? null : 0.5, colours: false, ...(transfer ? { transfer } : {}) }); // prettier-ignore

async function render(parts: Partial<PartInfo>[], jobs: JobInfo[] = [], more: Partial<AssetDetail> = {}) {
  TestBed.configureTestingModule({ providers: [{ provide: BRUSH_WORKER, useValue: () => ({ postMessage: () => undefined }) }] });
  const fixture = TestBed.createComponent(LevelsCard);
  fixture.componentRef.setInput('asset', sampleAsset({ parts: parts.map((part) => samplePart(part)), ...more }));
  fixture.componentRef.setInput('settings', transferSettingsSchema.parse({}));
  fixture.componentRef.setInput('jobs', jobs);
  const card = fixture.componentInstance;
  const [asked, opened]: [TransferRequest[], string[]] = [[], []];
  const [edits, lit]: [LevelEditRequest[], unknown[]] = [[], []];
  card.edit.subscribe((edit) => edits.push(edit));
  card.lit.subscribe((faces) => lit.push(faces));
  card.transfer.subscribe((request) => asked.push(request));
  card.opened.subscribe((part) => opened.push(part));
  card.edited.subscribe((change) => fixture.componentRef.setInput('settings', { ...card.settings(), ...change }));
  const loader = TestbedHarnessEnvironment.loader(fixture);
  await fixture.whenStable();
  const press = async (text: string): Promise<void> => (await loader.getHarness(MatButtonHarness.with({ text }))).click();
  return { host: fixture.nativeElement as HTMLElement, edits, lit, asked, opened, loader, press, fixture };
}
const free: Partial<PartInfo> = { stackKind: 'free', levelList: [level(0), level(1)], name: 'kelp' };
const made: Partial<PartInfo> = { id: 'p2', name: 'kelp, levels', levelList: [level(0), level(1, FIGURES)] };

describe('Levels card', () => {
  it('offers the detail of a free sculpt, as it is set, and opens what came of it', async () => {
    const { host, asked, opened, loader, press, fixture } = await render([free, made]);
    expect(host.textContent).toContain('up to about its 32 faces');
    await press('Transfer');
    const [levels, search] = await loader.getAllHarnesses(MatInputHarness);
    await levels.setValue('3');
    await levels.blur();
    await search.setValue('12.5');
    await search.blur();
    await press('Transfer');
    expect(asked).toEqual([{ levels: null, reach: null, onto: null }, { levels: 3, reach: 12.5, onto: null }]); // prettier-ignore
    await levels.setValue('30');
    await levels.blur();
    await fixture.whenStable();
    expect(await (await loader.getHarness(MatButtonHarness.with({ text: 'Transfer' }))).isDisabled()).toBe(true);
    expect(host.textContent).toContain('At most 8.');
    await press('Open it');
    expect(opened).toEqual(['p2']);
  });
  it('shows how each level came onto the sculpt, and what to look at', async () => {
    const { host } = await render([{ ...made, id: 'p1' }]);
    const row = [...host.querySelectorAll('[aria-label=Transfer] tr')].map((tr) => [...tr.children].map((cell) => cell.textContent.trim()));
    expect(row.at(-1)).toEqual(['1', '98 %', '0.0257', '2', '11.0 s']);
    expect([...host.querySelectorAll('.bad')].map((cell) => cell.textContent.trim())).toEqual(['98 %', '2']);
  });
  it('shows a transfer on its way and why one failed, and says what one mesh lacks', async () => {
    const job = { kind: 'transfer', partId: 'p1', state: 'running', fraction: 0.4, stage: 'projecting', tasks: 1, startedAt: '2026-01-02T03:04:05.000Z' } as JobInfo; // prettier-ignore
    expect((await render([free], [job])).host.textContent).toContain('projecting');
    TestBed.resetTestingModule();
    expect((await render([free], [{ ...job, state: 'failed', error: 'no detail to take' }])).host.querySelector('[role=alert]')?.textContent).toContain('no detail'); // prettier-ignore
    TestBed.resetTestingModule();
    expect((await render([{ stackKind: 'alone', levelList: [level(0)] }])).host.textContent).toContain('bring in its other mesh');
  });
  it('adds, drops, raises, recovers and settles levels, and takes the next one from the sculpt as far as it is told', async () => {
    const { edits, press, loader } = await render([{ ...made, id: 'p1', sculptHash: 'a'.repeat(64) }]);
    const [search] = await loader.getAllHarnesses(MatInputHarness);
    await search.setValue('4');
    await search.blur();
    for (const text of ['Level 2', 'Add level 2', 'Recover', 'Drop level 1', 'Raise the base', 'Settle the base']) await press(text);
    expect(edits).toEqual([
      { op: 'project', reach: 4 },
      { op: 'add' },
      { op: 'recover', levels: 1 },
      { op: 'drop', end: 'top' },
      { op: 'drop', end: 'base' },
      { op: 'settle' },
    ]);
  });
  it('offers to one mesh and to a stack of its own what they can, and nothing from a sculpt that is not there', async () => {
    const words = async (part: Partial<PartInfo>): Promise<string> => (await render([part])).host.textContent;
    const stack = await words({});
    expect(stack).not.toContain('from the sculpt');
    expect(stack).toContain('Brush');
    TestBed.resetTestingModule();
    const alone = await words({ stackKind: 'alone', levelList: [level(0)] });
    expect(alone).toContain('Add level 1');
    expect(alone).not.toContain('Drop level');
    expect(alone).not.toContain('Brush');
  });
  it('lights what a level missed, and links each level as a file', async () => {
    const missed = {
      code: 'transfer-missed',
      severity: 'warning',
      count: 3,
      message: '3 points of level 1',
      faces: [5, 9],
      level: 1,
    } as const;
    const { host, lit, press } = await render([made], [], { findings: [{ ...missed, faces: [...missed.faces] }] });
    await press('light 2');
    expect(lit).toEqual([{ faces: [5, 9], level: 1 }]);
    expect(host.querySelector('est-level-export a')?.getAttribute('href')).toMatch(/\/level-file\?level=1&format=obj$/);
  });
});
