import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import type { AssetDetail, EncodingSettings, MeasureRequest } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { Actions, provideEffects } from '@ngrx/effects';
import { provideStore, Store } from '@ngrx/store';
import { EMPTY, of, throwError } from 'rxjs';
import { sampleAsset, sampleEncoding, sampleJob, samplePart, sampleSpan } from '../../../test/samples';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import * as assets from './assets.state';
import * as actions from './bench-actions';
import { rememberedBench } from './bench-memory';
import { benchFeature } from './bench.state';
import { mapsFeature } from './maps.state';
import { EFFECTS, SLICES } from './slices';
import * as press from './press.state';
import * as recipes from './recipes.state';

const parts = [samplePart({ id: 'p1' }), samplePart({ id: 'p2', name: 'Clapper' })];
const refusal = (code: string, message: string) => throwError(() => new HttpErrorResponse({ status: 400, error: { code, message } }));

/** The whole store with its effects, over an API that answers as the test says. */
function start(answers: Partial<Record<keyof Api, unknown>> = {}) {
  const calls: unknown[][] = [];
  const noted = (name: string, answer: unknown) => (...given: unknown[]) => {
    calls.push([name, ...given]);
    return typeof answer === 'function' ? (answer as (...g: unknown[]) => unknown)(...given) : answer;
  }; // prettier-ignore
  const plain = { assets: of([]), asset: EMPTY, jobs: of([]), keepRecipe: of(null), saveEncoding: of(1), recipes: of([]), ...answers };
  const api = Object.fromEntries(Object.entries(plain).map(([name, answer]) => [name, noted(name, answer)]));
  TestBed.configureTestingModule({
    providers: [
      provideStore(SLICES),
      provideEffects(EFFECTS),
      { provide: Api, useValue: api },
      { provide: ServerEvents, useValue: { stream: EMPTY } },
    ],
  }); // prettier-ignore
  const store = TestBed.inject(Store);
  const seen: string[] = [];
  TestBed.inject(Actions).subscribe((a: { type: string }) => seen.push(a.type));
  return {
    store,
    seen,
    calls,
    of: (name: string) => calls.filter(([n]) => n === name).map(([, ...given]) => given),
    message: () => store.selectSignal(benchFeature.selectMessage)(),
    settings: () => store.selectSignal(mapsFeature.selectSettings)(),
    open: (asset: AssetDetail): void => {
      store.dispatch(assets.BenchPage.opened({ assetId: asset.id, partId: asset.part.id }));
      store.dispatch(assets.AssetsApi.assetLoaded({ asset }));
    },
    change: (scale: number): void =>
      store.dispatch(actions.CalibrateCard.encodingChanged({ spanId: 's', encoding: sampleEncoding({ scale }) })),
  };
}
describe('opening assets', () => {
  it('fetches the part that the address names, again when the server says it changed, and leaves other assets alone', () => {
    const { store, of: calls } = start();
    store.dispatch(assets.BenchPage.opened({ assetId: 'a', partId: 'p2' }));
    store.dispatch(press.PressEvents.assetChanged({ assetId: 'b' }));
    store.dispatch(press.PressEvents.assetChanged({ assetId: 'a' }));
    expect(calls('asset')).toEqual([
      ['a', 'p2'],
      ['a', 'p2'],
    ]);
  });

  it('shows no part under the name of another, however late an answer comes', () => {
    const { store, open } = start();
    const shown = store.selectSignal(assets.assetsFeature.selectOpen);
    const [bell, clapper] = parts;
    const through = (part: typeof bell): AssetDetail => sampleAsset({ parts, part: { id: part.id, name: part.name } });
    open(through(bell));
    expect(shown()?.part.id).toBe('p1');
    store.dispatch(assets.BenchPage.opened({ assetId: 'a', partId: 'p2' }));
    expect(shown()).toBeNull();
    store.dispatch(assets.AssetsApi.assetLoaded({ asset: through(bell) }));
    expect(shown()).toBeNull();
    store.dispatch(assets.AssetsApi.assetLoaded({ asset: through(clapper) }));
    expect(shown()?.part.id).toBe('p2');
  });

  it('says what the server said when it cannot', () => {
    const { store } = start({ asset: refusal('NOT_FOUND', 'That asset is not here; go back to the list.') });
    store.dispatch(assets.BenchPage.opened({ assetId: 'a', partId: null }));
    expect(store.selectSignal(assets.assetsFeature.selectMessage)()).toBe('That asset is not here; go back to the list.');
  });
});

describe('settings of a part', () => {
  it('start from its recipe, then from its newest span, else from the whole stack', () => {
    const { open, settings } = start();
    const recipe: MeasureRequest = { ...MEASURE_DEFAULTS, kinds: ['vector', 'normal'], size: 4096, toLevel: 2 };
    const span = sampleSpan({ id: 's1' });
    const own = [samplePart({ id: 'p1', recipe }), samplePart({ id: 'p2' }), samplePart({ id: 'p3' })];
    const through = (k: number, more: Partial<AssetDetail> = {}) => sampleAsset({ parts: own, part: { id: own[k].id, name: '' }, ...more });
    open(through(0, { spans: [span] }));
    expect(settings()).toMatchObject({ kinds: ['vector', 'normal'], size: 4096 });
    open(through(1, { spans: [span] }));
    expect(settings()).toMatchObject({ kinds: ['scalar'], toLevel: 2 });
    open(through(2));
    expect(settings()).toMatchObject({ fromLevel: 0, toLevel: 3 });
  });

  it('stay as they were typed when the same part is fetched again', () => {
    const { store, open, settings } = start();
    const asset = sampleAsset({ spans: [sampleSpan()] });
    open(asset);
    store.dispatch(actions.MapsCard.settingsChanged({ change: { size: 8192 } }));
    store.dispatch(assets.AssetsApi.assetLoaded({ asset }));
    expect(settings().size).toBe(8192);
  });
});

describe('starting work', () => {
  it('sends one pass a part in order, and shows the span of the last, which is the open part', () => {
    const extract = (_asset: string, partId: string) => of(sampleJob({ id: `j-${partId}`, spanId: `s-${partId}`, assetId: 'a' }));
    const { store, of: calls, seen } = start({ extract });
    const passes = ['p2', 'p1'].map((partId) => ({ partId, settings: MEASURE_DEFAULTS }));
    store.dispatch(actions.MapsCard.extractPressed({ assetId: 'a', passes }));
    expect(calls('extract').map(([, part]) => part)).toEqual(['p2', 'p1']);
    expect(store.selectSignal(mapsFeature.selectSpanId)()).toBe('s-p1');
    expect(
      store
        .selectSignal(press.pressFeature.selectAll)()
        .map((j) => j.id),
    ).toEqual(['j-p1', 'j-p2']);
    expect(seen.filter((t) => t === press.PressEvents.assetChanged.type)).toHaveLength(2);
  });

  it('says why a pass is refused, and takes the next wish all the same', () => {
    let times = 0;
    const extract = () => (times++ === 0 ? refusal('NO_MEMORY', 'One tile of 16384 x 16384 needs 9 GiB.') : of(sampleJob()));
    const { store, message } = start({ extract });
    const pressed = actions.MapsCard.extractPressed({ assetId: 'a', passes: [{ partId: 'p1', settings: MEASURE_DEFAULTS }] });
    store.dispatch(pressed);
    expect(message()).toBe('One tile of 16384 x 16384 needs 9 GiB.');
    store.dispatch(pressed);
    expect(message()).toBeNull();
  });

  it('proves, looks closer, delivers and takes a light mesh again, each for its own part', () => {
    const job = of(sampleJob({ kind: 'proof', spanId: 's' }));
    const { store, calls, open } = start({ prove: job, study: job, deliver: job, bringLowAgain: job });
    open(sampleAsset({ parts: [samplePart(), samplePart({ id: 'p2', stamp: 's2' })] }));
    const encoding = sampleEncoding();
    const request = { subdivisions: 2, tolerance: 0.1 };
    store.dispatch(actions.ProofCard.provePressed({ spanId: 's', encoding, request }));
    store.dispatch(actions.ProofCard.studyPressed({ proofId: 'p' }));
    const delivery = { proofIds: ['p'], withSculpt: true };
    store.dispatch(actions.DeliverCard.deliverPressed({ assetId: 'a', partId: 'p2', request: delivery }));
    store.dispatch(actions.SculptCard.lowBroughtIn({ assetId: 'a', partId: 'p2', hash: 'h', name: 'low.obj' }));
    expect(calls.filter(([name]) => name !== 'assets' && name !== 'asset')).toEqual([
      ['prove', 's', encoding, request],
      ['study', 'p'],
      ['deliver', 'a', 'p2', delivery],
      ['bringLowAgain', 'a', 'p2', 's2', { hash: 'h', name: 'low.obj' }],
    ]);
  });

  it('copies a recipe to each part that was ticked, and says when one cannot be', () => {
    const { store, of: calls } = start();
    store.dispatch(actions.MapsCard.recipeCopied({ partIds: ['p2', 'p3'], recipe: MEASURE_DEFAULTS }));
    expect(calls('keepRecipe')).toEqual([
      ['p2', MEASURE_DEFAULTS],
      ['p3', MEASURE_DEFAULTS],
    ]);
    TestBed.resetTestingModule();
    const failing = start({ keepRecipe: refusal('NOT_FOUND', 'That part is not here; go back to the list.') });
    failing.store.dispatch(actions.MapsCard.recipeCopied({ partIds: ['p9'], recipe: MEASURE_DEFAULTS }));
    expect(failing.message()).toBe('That part is not here; go back to the list.');
  });
});

describe('saving an encoding', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());
  const opened = (answers: Parameters<typeof start>[0]) => {
    const all = start(answers);
    all.open(sampleAsset({ spans: [sampleSpan({ encoding: sampleEncoding(), encodingVersion: 3 })] }));
    return all;
  };

  it('waits until the handle is let go, and saves the last of a quick series on the version it was made from', () => {
    const { change, of: calls } = opened({ saveEncoding: of(4) });
    for (const scale of [5, 6, 7]) change(scale);
    jest.advanceTimersByTime(399);
    expect(calls('saveEncoding')).toEqual([]);
    jest.advanceTimersByTime(2);
    expect(calls('saveEncoding').map(([span, e, version]) => [span, (e as EncodingSettings).scale, version])).toEqual([['s', 7, 3]]);
    change(8);
    jest.advanceTimersByTime(500);
    expect(calls('saveEncoding')[1][2]).toBe(4);
  });

  it('saves what was changed also when another span is opened at once', () => {
    const { store, change, of: calls } = opened({ saveEncoding: of(4) });
    change(5);
    store.dispatch(actions.Ladder.spanChosen({ span: sampleSpan({ id: 'other' }) }));
    jest.advanceTimersByTime(500);
    expect(calls('saveEncoding').map(([span, e]) => [span, (e as EncodingSettings).scale])).toEqual([['s', 5]]);
  });

  it('fetches what another tab saved when that was faster, and sends nothing more until it is decided', () => {
    const { store, change, of: calls, seen } = opened({ saveEncoding: refusal('CONFLICT', 'changed elsewhere') });
    change(5);
    jest.advanceTimersByTime(500);
    expect(seen).toContain(actions.BenchApi.conflictFound.type);
    expect(calls('asset').length).toBeGreaterThan(1);
    const theirs = sampleEncoding({ scale: 99 });
    store.dispatch(assets.AssetsApi.assetLoaded({ asset: sampleAsset({ spans: [sampleSpan({ encoding: theirs, encodingVersion: 4 })] }) }));
    change(6);
    jest.advanceTimersByTime(500);
    expect(calls('saveEncoding')).toHaveLength(1);
    store.dispatch(actions.CalibrateCard.oursKept({ spanId: 's' }));
    jest.advanceTimersByTime(500);
    expect(calls('saveEncoding')[1].slice(1)).toEqual([sampleEncoding({ scale: 6 }), 4]);
  });
});

describe('recipes and what is remembered', () => {
  it('are fetched again after each change, and a refusal is shown', () => {
    const { store, of: calls } = start({ saveRecipe: of({}), removeRecipe: refusal('NOT_FOUND', 'That recipe is not here.') });
    store.dispatch(recipes.RecipeBar.shown());
    store.dispatch(recipes.RecipeBar.recipeSaved({ recipe: { name: 'all', unit: 'mm', settings: MEASURE_DEFAULTS } }));
    expect(calls('recipes')).toHaveLength(2);
    store.dispatch(recipes.RecipeBar.recipeRemoved({ recipeId: 'r' }));
    expect(calls('recipes')).toHaveLength(2);
    expect(store.selectSignal(recipes.recipesFeature.selectMessage)()).toBe('That recipe is not here.');
  });

  it('come back with the next visit, without what belongs to one asset', () => {
    localStorage.clear();
    const { store } = start();
    store.dispatch(
      actions.MapsCard.settingsChanged({ change: { size: 8192, kinds: ['normal'], reach: 3, tiles: [1002], fromLevel: 1, toLevel: 4 } }),
    );
    store.dispatch(actions.ProofCard.requestChanged({ change: { degrees: 2, subdivisions: 5 } }));
    const { maps, proof } = rememberedBench();
    expect(maps.settings).toEqual({ ...MEASURE_DEFAULTS, matchSeams: true, size: 8192, kinds: ['normal'] });
    expect([proof.draft.degrees, proof.draft.subdivisions]).toEqual([2, null]);
    localStorage.setItem('estampe.measure', '{"size":"huge"}');
    expect(rememberedBench().maps.settings.size).toBe(MEASURE_DEFAULTS.size);
  });
});
