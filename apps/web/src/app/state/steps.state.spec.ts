import type { AssetDetail, JobInfo, ProofInfo, SpanInfo } from '@estampe/contracts';
import type { MapKind } from '@estampe/core';
import type { Action } from '@ngrx/store';
import { combineReducers } from '@ngrx/store';
import { sampleAsset, sampleEncoding, sampleSpan } from '../../../test/samples';
import { AssetsApi, BenchPage } from './assets.state';
import { BenchApi, CalibrateCard, Ladder, MapsCard } from './bench-actions';
import { PROPOSED_SETTINGS } from './maps.state';
import { PressApi, PressEvents, pressFeature } from './press.state';
import { proofFeature } from './proof.state';
import { SLICES } from './slices';

const encoding = sampleEncoding();
const span = (id: string, change: Partial<SpanInfo> = {}): SpanInfo => sampleSpan({ id, ...change });
const asset = (spans: SpanInfo[]): AssetDetail => sampleAsset({ spans });
const all = combineReducers(SLICES);
type State = ReturnType<typeof all>;
const reduce = (state: State, ...actions: Action[]): State => actions.reduce(all, state);
const initial = all(undefined, { type: 'start' });
const fetched = (spans: SpanInfo[]) => AssetsApi.assetLoaded({ asset: asset(spans) });
const opened = (spans: SpanInfo[]): State => reduce(initial, BenchPage.opened({ assetId: 'a', partId: null }), fetched(spans));

describe('what is measured next', () => {
  it('is a span over the whole stack, or starts from the last one that is there', () => {
    expect(opened([]).maps.settings).toMatchObject({ fromLevel: 0, toLevel: 3 });
    expect(opened([span('s1'), span('s2')]).maps).toMatchObject({ spanId: 's2', settings: { toLevel: 2 } });
  });

  it('opens the first displacing map of the newest pass, and ticks nothing that was ticked for another asset', () => {
    const of = (kind: MapKind, size: number) => span(`${kind}-${size}`, { settings: { ...span('s').settings, kind, size } });
    const spans = [of('scalar', 512), of('scalar', 2048), of('vector', 2048), of('occlusion', 2048)];
    expect(opened(spans).maps.spanId).toBe('scalar-2048');
    expect(opened([...spans, of('normal', 4096)]).maps.spanId).toBe('scalar-2048');
    expect(opened([of('normal', 512)]).maps.spanId).toBe('normal-512');
    const ticked = reduce(
      opened([]),
      MapsCard.settingsChanged({ change: { kinds: ['scalar', 'occlusion'], occlusionRays: 512, size: 4096 } }),
    );
    const next = reduce(
      ticked,
      BenchPage.opened({ assetId: 'b', partId: null }),
      AssetsApi.assetLoaded({ asset: sampleAsset({ id: 'b' }) }),
    );
    expect(next.maps.settings).toMatchObject({ kinds: ['scalar'], occlusionRays: PROPOSED_SETTINGS.occlusionRays, size: 4096 });
    // but what its production usually starts from, where it fits
    const usual = {
      id: 'r',
      name: 'House',
      unit: 'mm' as const,
      settings: { ...PROPOSED_SETTINGS, kinds: ['vector' as const], size: 1024, toLevel: 1 },
    };
    const from = (toLevel: number) =>
      reduce(ticked, BenchPage.opened({ assetId: 'b', partId: null }), AssetsApi.assetLoaded({ asset: sampleAsset({ id: 'b', usual: { ...usual, settings: { ...usual.settings, toLevel } } }) })); // prettier-ignore
    expect(from(1).maps.settings).toMatchObject({ kinds: ['vector'], size: 1024, toLevel: 1 });
    expect(from(16).maps.settings).toMatchObject({ kinds: ['scalar'], size: 4096 });
  });

  it('starts from the span that is chosen on the Ladder, and stays as it is when that was open', () => {
    const { settings } = span('s1');
    const other = span('s2', { settings: { ...settings, size: 512, kind: 'normal' } });
    const changed = reduce(opened([other, span('s1')]), MapsCard.settingsChanged({ change: { size: 4096 } }));
    expect(reduce(changed, Ladder.spanChosen({ span: span('s1') })).maps.settings.size).toBe(4096);
    const chosen = reduce(changed, Ladder.spanChosen({ span: other })).maps;
    expect(chosen).toMatchObject({ spanId: 's2', settings: { size: 512, kinds: ['normal'], tiles: null } });
  });

  it('keeps the chosen span when the asset is fetched again, and a drawn one until it is extracted', () => {
    const drawn = reduce(opened([span('s1')]), Ladder.spanDrawn({ fromLevel: 1, toLevel: 3 }));
    expect(drawn.maps).toMatchObject({ spanId: null, settings: { fromLevel: 1, toLevel: 3 } });
    expect(reduce(drawn, fetched([span('s1'), span('theirs')])).maps).toEqual(drawn.maps);
    const first = reduce(opened([]), MapsCard.settingsChanged({ change: { toLevel: 0 } })); // half-way to another choice
    expect(reduce(first, fetched([])).maps).toEqual(first.maps);
    expect(reduce(drawn, fetched([])).maps.settings).toEqual(drawn.maps.settings);
    const started = reduce(drawn, BenchApi.jobStarted({ job: { kind: 'extract', spanId: 's9' } as JobInfo }));
    expect(reduce(started, fetched([span('s1'), span('s9'), span('s5')])).maps.spanId).toBe('s9');
  });

  it('shows a refusal until the settings change', () => {
    const refused = reduce(initial, BenchApi.failed({ message: 'no' }));
    expect(refused.bench.message).toBe('no');
    const changed = reduce(refused, MapsCard.settingsChanged({ change: { size: 512 } }));
    expect([changed.bench.message, changed.maps.settings.size]).toEqual([null, 512]);
  });
});

describe('encodings', () => {
  const change = (scale: number) => CalibrateCard.encodingChanged({ spanId: 's1', encoding: { ...encoding, scale } });
  const [undo, redo] = [CalibrateCard.undoPressed({ spanId: 's1' }), CalibrateCard.redoPressed({ spanId: 's1' })];
  const history = (state: State) => state.calibrate.histories['s1'];

  it('are undone and redone, and a new change ends the redo', () => {
    const scales = (s: State): number[] => [...history(s).past, history(s).present, ...history(s).future].map((e) => e.scale);
    let state = reduce(opened([span('s1', { encoding })]), change(5), change(6), undo);
    expect(history(state).present.scale).toBe(5);
    expect(scales(state)).toEqual([4, 5, 6]);
    state = reduce(state, redo, redo);
    expect(history(state).present.scale).toBe(6);
    expect(scales(reduce(state, undo, undo, change(9)))).toEqual([4, 9]);
    expect(reduce(initial, undo)).toEqual(initial);
  });

  it('that nobody touched follow what is proposed while tiles come in', () => {
    const proposed = (scale: number, encodingVersion = 0) => fetched([span('s1', { encoding: { ...encoding, scale }, encodingVersion })]);
    const state = reduce(opened([span('s1', { encoding, encodingVersion: 0 })]), proposed(7));
    expect(history(state)).toMatchObject({ version: 0, present: { scale: 7 }, past: [] });
    expect(history(reduce(state, change(5), proposed(8)))).toMatchObject({ present: { scale: 5 }, theirs: null });
    expect(history(reduce(state, proposed(9, 1)))).toMatchObject({ version: 1, present: { scale: 9 }, theirs: null });
  });

  it('that have moved on put a proof out of date', () => {
    const state = opened([span('s1', { encoding, proofs: [{ id: 'p', encoding } as ProofInfo] })]);
    expect(proofFeature.selectProof(state)).toMatchObject({ current: true });
    expect(proofFeature.selectProof(reduce(state, change(8)))).toMatchObject({ current: false });
  });

  it('that another tab saved are noticed, an echo is known, and neither version is lost', () => {
    const saved = (scale: number, encodingVersion: number) => fetched([span('s1', { encoding: { ...encoding, scale }, encodingVersion })]);
    const sent = BenchApi.encodingSent({ spanId: 's1', encoding: { ...encoding, scale: 5 } });
    // our own, already overtaken by the next change
    let state = reduce(opened([span('s1', { encoding })]), change(5), sent, change(6), saved(5, 2));
    expect(history(state)).toMatchObject({ version: 2, theirs: null, present: { scale: 6 } });
    state = reduce(state, saved(9, 3));
    expect(history(state)).toMatchObject({ theirs: { version: 3, encoding: { scale: 9 } }, present: { scale: 6 } });
    const kept = reduce(state, CalibrateCard.oursKept({ spanId: 's1' }));
    expect(history(kept)).toMatchObject({ theirs: null, version: 3, present: { scale: 6 } });
    const taken = reduce(state, CalibrateCard.theirsTaken({ spanId: 's1' }));
    expect(history(taken)).toMatchObject({ theirs: null, version: 3, present: { scale: 9 } });
    expect(history(reduce(taken, undo)).present.scale).toBe(6);
  });
});

describe('press state', () => {
  const job = (id: string, state: JobInfo['state'], fraction = 0): JobInfo =>
    ({ id, state, fraction, createdAt: id, endedAt: state === 'done' ? 'later' : null, startedAt: 'then' }) as JobInfo;
  it('puts new jobs first, moves known ones in place, and ignores a message that the end overtook', () => {
    const press = pressFeature.reducer;
    let state = press(undefined, PressApi.jobsLoaded({ jobs: [job('a', 'running')] }));
    state = press(state, PressEvents.jobMoved({ job: job('b', 'waiting') }));
    state = press(state, PressEvents.jobMoved({ job: job('a', 'done', 1) }));
    state = press(state, PressEvents.jobMoved({ job: job('a', 'running', 0.9) }));
    expect(pressFeature.selectAll({ press: state }).map((j) => [j.id, j.state])).toEqual([['b', 'waiting'], ['a', 'done']]); // prettier-ignore
    expect(pressFeature.selectActive({ press: state })).toHaveLength(1);
  });
});
