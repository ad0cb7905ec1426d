import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { CUSTOM_ELEMENTS_SCHEMA } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { MatDialogHarness } from '@angular/material/dialog/testing';
import { MatMenuHarness } from '@angular/material/menu/testing';
import { By } from '@angular/platform-browser';
import { provideRouter, Router, RouterLink } from '@angular/router';
import type { AssetDetail, MeasureRequest } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import type { Action } from '@ngrx/store';
import { provideStore, ScannedActionsSubject, Store } from '@ngrx/store';
import { AngularSplitModule } from 'angular-split';
import { rendered } from '../../../../test/rendered';
import { sampleAsset, sampleEncoding, sampleField, samplePart, sampleProof, sampleSpan } from '../../../../test/samples';
import { Ladder as LadderView } from '../../ladder/ladder';
import { MeshStore } from '../../shared/mesh-store';
import { BRUSH_WORKER } from '../../workers/worker-tokens';
import { PressPanel } from '../../shared/press-panel';
import { RowMenu } from '../../shared/row-menu';
import { proposedShot } from '../../shared/tolerance';
import { Sheet } from '../../sheet/sheet';
import { Stage } from '../../stage/stage';
import { AssetsApi } from '../../state/assets.state';
import { CalibrateCard, DeliverCard, Ladder, MapsCard, ProofCard } from '../../state/bench-actions';
import { SLICES } from '../../state/slices';
import { BenchPage } from './bench-page';
import type { Step } from './steps';
import { STEPS } from './steps';

/** The page around its parts: what it hands to them, and what it makes of what they say. The parts have tests of their own. */
async function render(asset: AssetDetail | null, step = 'maps') {
  localStorage.clear();
  TestBed.resetTestingModule();
  TestBed.configureTestingModule({
    providers: [
      provideRouter([]),
      provideStore(SLICES),
      { provide: MeshStore, useValue: {} },
      { provide: BRUSH_WORKER, useValue: () => ({}) },
    ],
  });
  TestBed.overrideComponent(BenchPage, {
    remove: { imports: [AngularSplitModule, LadderView, PressPanel, RowMenu, Sheet, Stage] },
    add: {
      schemas: [CUSTOM_ELEMENTS_SCHEMA],
    },
  });
  for (const { card, pane, footer } of Object.values<Step>(STEPS))
    for (const part of [card, pane, footer?.component])
      if (part) TestBed.overrideComponent(part, { set: { imports: [RouterLink], schemas: [CUSTOM_ELEMENTS_SCHEMA] } });
  const seen: Action[] = [];
  TestBed.inject(ScannedActionsSubject).subscribe((a) => seen.push(a));
  const store = TestBed.inject(Store);
  const navigate = jest.spyOn(TestBed.inject(Router), 'navigate').mockResolvedValue(true);
  const page = await rendered(BenchPage, { assetId: 'a', step });
  if (asset) store.dispatch(AssetsApi.assetLoaded({ asset }));
  await page.settle();
  const child = (selector: string) => page.fixture.debugElement.query(By.css(selector));
  return {
    ...page,
    store,
    navigate,
    last: (type: string): Action | undefined => [...seen].reverse().find((a) => a.type === type),
    /** What a part of the page was given. */
    given: (selector: string, property: string): unknown => (child(selector).nativeElement as Record<string, unknown>)[property],
    /** A part of the page says something. */
    says: async (selector: string, event: string, value?: unknown): Promise<void> => {
      child(selector).triggerEventHandler(event, value);
      await page.settle();
    },
    key: async (key: string, more: KeyboardEventInit = {}, target: EventTarget = document.body): Promise<KeyboardEvent> => {
      const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more });
      target.dispatchEvent(event);
      await page.settle();
      return event;
    },
    hints: () => Object.fromEntries([...page.host.querySelectorAll('.steps a')].map((a) => (a.getAttribute('aria-label') ?? '').split(', ') as [string, string])),
  }; // prettier-ignore
}

const measured = sampleSpan({ id: 's', fields: [sampleField()], encoding: sampleEncoding() });
const proven = { ...measured, proofs: [sampleProof()] };

describe('the bench', () => {
  it('waits without an asset, and says what the server said', async () => {
    const page = await render(null);
    expect(page.host.querySelector('est-ladder')).toBeNull();
    page.store.dispatch(AssetsApi.assetFailed({ message: 'That asset is not here; go back to the list.' }));
    await page.settle();
    expect(page.text()).toContain('That asset is not here');
  });

  it('says of every step whether it is ready, needs something, or is out of date', async () => {
    const { hints } = await render(sampleAsset());
    expect(hints()).toEqual({
      Sculpt: 'ready',
      Levels: 'ready',
      Sheet: 'ready',
      Maps: 'needs a span that is extracted',
      Calibrate: 'needs an extracted span',
      Proof: 'needs a proof',
      Deliver: 'needs a proven map',
    });
    expect((await render(sampleAsset({ spans: [proven] }))).hints()).toMatchObject({ Maps: 'ready', Proof: 'ready', Deliver: 'ready' });
    const old = await render(sampleAsset({ spans: [{ ...proven, outOfDate: true }] }));
    expect(old.hints()).toMatchObject({ Maps: 'out of date: the light mesh changed', Deliver: 'needs a proven map' });
    expect(old.hints()['Proof']).toMatch(/^out of date/);
    expect((await render(sampleAsset({ tiles: [] }))).hints()['Sheet']).toMatch(/unwrap the light mesh/);
    const error = { code: 'no-uvs', severity: 'error' as const, count: 1, message: '', faces: [] };
    expect((await render(sampleAsset({ findings: [error] }))).hints()['Sculpt']).toMatch(/needs mending/);
  });

  it('marks a proof as out of date when its encoding is changed, and undo makes it current again', async () => {
    const page = await render(sampleAsset({ spans: [proven] }), 'calibrate');
    page.store.dispatch(CalibrateCard.encodingChanged({ spanId: 's', encoding: sampleEncoding({ scale: 9 }) }));
    await page.settle();
    expect(page.hints()['Proof']).toMatch(/^out of date/);
    expect((await page.key('z', { ctrlKey: true })).defaultPrevented).toBe(true);
    expect(page.hints()['Proof']).toBe('ready');
    await page.key('z', { ctrlKey: true, shiftKey: true });
    expect(page.hints()['Proof']).toMatch(/^out of date/);
  });

  it('shows a sculpt as it is, one too heavy by the rung below, turns it by a lighter one, and lays texels on one with UVs', async () => {
    const level = (k: number, faces: number) => ({ level: k, meshId: `m${k}`, points: faces, faces, detail: null, colours: null });
    const levelList = [level(0, 1500), level(1, 6000), level(2, 24_000), level(3, 96_000), level(4, 400_000), level(5, 1_600_000)];
    const span = sampleSpan({ settings: { ...measured.settings, toLevel: 5 }, fields: [sampleField({ tile: 1001 }), sampleField({ id: 'g', tile: 1002 })] }); // prettier-ignore
    const page = await render(sampleAsset({ levelList, spans: [span] }));
    expect(page.given('est-stage', 'source')).toMatchObject({
      sculptMeshId: 'm5',
      sculptLabel: 'sculpt, level 5',
      coarseMeshId: 'm2',
      coarseLabel: 'sculpt, level 2',
      lowMeshId: 'm0',
      sheetedMeshId: 'm3',
      fields: [
        { id: 'f', tile: 1001 },
        { id: 'g', tile: 1002 },
      ],
    });
    const huge = await render(sampleAsset({ levelList: [...levelList, level(6, 16_000_000)] }));
    expect(huge.given('est-stage', 'source')).toMatchObject({ sculptLabel: 'sculpt, level 5' });
    const free = await render(sampleAsset({ stackKind: 'free', levelList: [level(0, 1500), level(1, 1_600_000)] }));
    expect(free.given('est-stage', 'source')).toMatchObject({ sculptMeshId: 'm1', sculptLabel: 'sculpt', coarseMeshId: null, sheetedMeshId: 'm0' }); // prettier-ignore
  });

  it('draws a span from the Ladder and goes to Maps, and chooses one without going', async () => {
    const page = await render(sampleAsset({ spans: [measured] }), 'sculpt');
    await page.says('est-ladder', 'draw', { fromLevel: 1, toLevel: 3 });
    expect(page.last(Ladder.spanDrawn.type)).toMatchObject({ fromLevel: 1, toLevel: 3 });
    expect(page.navigate).toHaveBeenLastCalledWith(['/assets', 'a', 'maps'], { queryParamsHandling: 'preserve' });
    page.navigate.mockClear();
    await page.says('est-ladder', 'choose', 's');
    expect(page.navigate).not.toHaveBeenCalled();
    expect(page.given('est-ladder', 'chosenId')).toBe('s');
  });
});

describe('the card', () => {
  it('is read from its top when the step changes, however far the one before was scrolled', async () => {
    const page = await render(sampleAsset({ spans: [proven] }), 'maps');
    const card = page.host.querySelector('.card') as HTMLElement;
    card.scrollTop = 240;
    await page.set({ step: 'proof' });
    expect(card.scrollTop).toBe(0);
    card.scrollTop = 120;
    page.store.dispatch(AssetsApi.assetLoaded({ asset: sampleAsset({ spans: [proven, measured] }) }));
    await page.settle();
    expect(card.scrollTop).toBe(120); // news of the asset do not move what is being read
  });
});

describe('parts on the bench', () => {
  const recipe: MeasureRequest = { ...MEASURE_DEFAULTS, kinds: ['vector'], size: 4096, toLevel: 3 };
  const parts = [
    samplePart({ id: 'p1', name: 'Bell' }),
    samplePart({ id: 'p2', name: 'Clapper', recipe }),
    samplePart({ id: 'p3', name: 'Yoke', tiles: [1001, 1002] }),
  ];

  it('are chosen at the top, and none is asked for where there is one', async () => {
    expect(await (await render(sampleAsset())).loader.getAllHarnesses(MatMenuHarness)).toEqual([]);
    const page = await render(sampleAsset({ parts }));
    const menu = await page.loader.getHarness(MatMenuHarness);
    await menu.open();
    const items = await menu.getItems();
    expect(await Promise.all(items.map((item) => item.getText()))).toEqual(['Bell', 'Clapper', 'Yoke']);
    await items[2].click();
    expect(page.navigate).toHaveBeenLastCalledWith(['/assets', 'a', 'maps'], { queryParams: { part: 'p3' } });
  });

  it('are measured together: each by its own recipe, else by the settings shown, the open one last', async () => {
    const page = await render(sampleAsset({ parts, tiles: [1001] }));
    page.store.dispatch(MapsCard.settingsChanged({ change: { size: 512, kinds: ['normal'], matchSeams: true, tiles: [1001] } }));
    await page.says('est-maps-card', 'extract', ['p3', 'p2']);
    const { passes } = page.last(MapsCard.extractPressed.type) as ReturnType<typeof MapsCard.extractPressed>;
    expect(passes.map((p) => [p.partId, p.settings.size, p.settings.kinds, p.settings.tiles])).toEqual([
      ['p2', 4096, ['vector'], null],
      ['p3', 512, ['normal'], [1001]],
      ['p1', 512, ['normal'], null],
    ]);
    expect(passes[2].settings.matchSeams).toBe(true); // of every kind
    await page.says('est-maps-card', 'recipeCopied', ['p2']);
    expect(page.last(MapsCard.recipeCopied.type)).toMatchObject({ partIds: ['p2'], recipe: { size: 512, kinds: ['normal'] } });
  });

  it('are delivered by the part that is open', async () => {
    const page = await render(sampleAsset({ parts, spans: [proven] }), 'deliver');
    await page.says('est-deliver-card', 'deliver', { proofIds: ['p'], withSculpt: false });
    expect(page.last(DeliverCard.deliverPressed.type)).toMatchObject({ assetId: 'a', partId: 'p1' });
  });
});

describe('keys of the bench', () => {
  it('go through the steps, and do nothing while something is typed', async () => {
    const page = await render(sampleAsset());
    await page.key('7');
    expect(page.navigate).toHaveBeenLastCalledWith(['/assets', 'a', 'deliver'], { queryParamsHandling: 'preserve' });
    page.navigate.mockClear();
    const typing = document.createElement('input');
    page.host.append(typing);
    await page.key('1', {}, typing);
    await page.key('1', { altKey: true });
    await page.key('9');
    expect(page.navigate).not.toHaveBeenCalled();
  });

  it('show one view alone and both again, hide the Gauge, and are remembered', async () => {
    const page = await render(sampleAsset());
    const pressed = (name: string): string | null => page.button(name).getAttribute('aria-pressed');
    await page.key('s');
    expect([pressed('Stage'), pressed('Sheet')]).toEqual(['true', 'false']);
    await page.key('l');
    expect([pressed('Stage'), pressed('Sheet')]).toEqual(['false', 'true']);
    await page.key('g');
    expect(JSON.parse(localStorage.getItem('estampe.layout') ?? '')).toEqual({ panes: 'sheet', gauge: false });
    await page.key('l');
    expect([pressed('Stage'), pressed('Sheet')]).toEqual(['true', 'true']);
    await page.key('r');
    expect(document.documentElement.dataset['room']).toBe('dark');
    await page.key('r');
  });

  it('walk through the spans round and round', async () => {
    const spans = ['s1', 's2', 's3'].map((id) => sampleSpan({ id }));
    const page = await render(sampleAsset({ spans }));
    const chosen = (): unknown => page.given('est-ladder', 'chosenId');
    expect(chosen()).toBe('s3'); // the newest
    await page.key('n');
    expect(chosen()).toBe('s1');
    await page.key('p');
    await page.key('p');
    expect(chosen()).toBe('s2');
  });

  it('open their own list', async () => {
    const page = await render(sampleAsset());
    await page.key('?');
    const dialog = await TestbedHarnessEnvironment.documentRootLoader(page.fixture).getHarness(MatDialogHarness);
    expect(await dialog.getText()).toContain('next, previous span');
    await dialog.close();
  });
});

describe('proving from the bench', () => {
  it('sends the encoding that is shown, as many subdivisions as the span has levels, and the tolerance as a length', async () => {
    const page = await render(sampleAsset({ spans: [measured] }), 'proof');
    await page.says('est-proof-card', 'prove');
    const asked = () => page.last(ProofCard.provePressed.type) as ReturnType<typeof ProofCard.provePressed>;
    expect(asked().request.tolerance).toBeCloseTo(1000 / 2 / 4096, 3); // half a pixel of a shot that the asset fills
    const tolerance = { value: 0.1, unit: 'percent', shot: proposedShot(1000) };
    await page.says('est-proof-card', 'edited', { tolerance });
    await page.says('est-proof-card', 'prove');
    expect(page.last(ProofCard.provePressed.type)).toMatchObject({
      spanId: 's',
      encoding: sampleEncoding(),
      request: { subdivisions: 2, tolerance: 1 },
    });
  });
});
