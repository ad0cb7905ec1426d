import type { AssetDetail, JobInfo, ProofInfo, SpanInfo } from '@estampe/contracts';
import { sampleAsset, sampleEncoding, sampleSpan } from '../../../test/samples';
import { AssetsApi, assetsFeature, BenchPage } from './assets.state';
import { BenchApi, benchFeature, CalibrateCard, Ladder, MapsCard } from './bench.state';
import { PressApi, PressEvents, pressFeature } from './press.state';

const encoding = sampleEncoding();
const span = (id: string, change: Partial<SpanInfo> = {}): SpanInfo => sampleSpan({ id, ...change });
const asset = (spans: SpanInfo[]): AssetDetail => sampleAsset({ spans });
const { reducer } = benchFeature;
const initial = reducer(undefined, { type: 'start' });
const opened = (spans: SpanInfo[]) =>
  reducer(reducer(initial, BenchPage.opened({ assetId: 'a', partId: null })), AssetsApi.assetLoaded({ asset: asset(spans) }));

describe('bench state', () => {
  it('proposes a span over the whole stack, and takes up the last one that is there', () => {
    expect(opened([]).settings).toMatchObject({ fromLevel: 0, toLevel: 3 });
    expect(opened([span('s1'), span('s2')])).toMatchObject({ spanId: 's2', settings: { toLevel: 2 } });
  });

  it('keeps the chosen span when the asset is fetched again, and a drawn one until it is extracted', () => {
    const drawn = reducer(opened([span('s1')]), Ladder.spanDrawn({ fromLevel: 1, toLevel: 3 }));
    expect(drawn).toMatchObject({ spanId: null, settings: { fromLevel: 1, toLevel: 3 } });
    const heard = (state: typeof initial, spans: SpanInfo[]) => reducer(state, AssetsApi.assetLoaded({ asset: asset(spans) }));
    expect(heard(drawn, [span('s1'), span('theirs')])).toEqual(drawn);
    const first = reducer(opened([]), MapsCard.settingsChanged({ change: { toLevel: 0 } })); // half-way to another choice
    expect(heard(first, [])).toEqual(first);
    expect(heard(drawn, []).settings).toEqual(drawn.settings);
    const started = reducer(drawn, BenchApi.jobStarted({ job: { kind: 'extract', spanId: 's9' } as JobInfo }));
    const fetched = reducer(started, AssetsApi.assetLoaded({ asset: asset([span('s1'), span('s9'), span('s5')]) }));
    expect(fetched.spanId).toBe('s9');
  });

  it('undoes and redoes an encoding, and a new change ends the redo', () => {
    const change = (scale: number) => CalibrateCard.encodingChanged({ spanId: 's1', encoding: { ...encoding, scale } });
    const scales = (s: typeof initial): number[] =>
      [...s.encodings['s1'].past, s.encodings['s1'].present, ...s.encodings['s1'].future].map((e) => e.scale);
    let state = opened([span('s1', { encoding })]);
    state = reducer(reducer(state, change(5)), change(6));
    state = reducer(state, CalibrateCard.undoPressed());
    expect(state.encodings['s1'].present.scale).toBe(5);
    expect(scales(state)).toEqual([4, 5, 6]);
    state = reducer(reducer(state, CalibrateCard.redoPressed()), CalibrateCard.redoPressed());
    expect(state.encodings['s1'].present.scale).toBe(6);
    state = reducer(reducer(reducer(state, CalibrateCard.undoPressed()), CalibrateCard.undoPressed()), change(9));
    expect(scales(state)).toEqual([4, 9]);
    expect(reducer(initial, CalibrateCard.undoPressed())).toBe(initial);
  });

  it('marks a proof out of date when the encoding has moved on', () => {
    const proof = { id: 'p', encoding } as ProofInfo;
    const state = opened([span('s1', { encoding, proofs: [proof] })]);
    const root = (bench: typeof initial) => ({
      bench,
      assets: { ...assetsFeature.reducer(undefined, { type: 'start' }), open: asset([span('s1', { encoding, proofs: [proof] })]) },
    });
    expect(benchFeature.selectProof(root(state))).toMatchObject({ current: true });
    const moved = reducer(state, CalibrateCard.encodingChanged({ spanId: 's1', encoding: { ...encoding, scale: 8 } }));
    expect(benchFeature.selectProof(root(moved))).toMatchObject({ current: false });
  });

  it('notices what another tab saved, knows its own echo, and loses neither version', () => {
    const fetched = (state: typeof initial, scale: number, encodingVersion: number) =>
      reducer(state, AssetsApi.assetLoaded({ asset: asset([span('s1', { encoding: { ...encoding, scale }, encodingVersion })]) }));
    let state = opened([span('s1', { encoding })]);
    state = reducer(state, CalibrateCard.encodingChanged({ spanId: 's1', encoding: { ...encoding, scale: 5 } }));
    state = reducer(state, BenchApi.encodingSent({ spanId: 's1', encoding: { ...encoding, scale: 5 } }));
    state = reducer(state, CalibrateCard.encodingChanged({ spanId: 's1', encoding: { ...encoding, scale: 6 } }));
    state = fetched(state, 5, 2); // our own, already overtaken by the next change
    expect(state.encodings['s1']).toMatchObject({ version: 2, theirs: null, present: { scale: 6 } });
    state = fetched(state, 9, 3);
    expect(state.encodings['s1']).toMatchObject({ theirs: { version: 3, encoding: { scale: 9 } }, present: { scale: 6 } });
    const kept = reducer(state, CalibrateCard.oursKept());
    expect(kept.encodings['s1']).toMatchObject({ theirs: null, version: 3, present: { scale: 6 } });
    const taken = reducer(state, CalibrateCard.theirsTaken());
    expect(taken.encodings['s1']).toMatchObject({ theirs: null, version: 3, present: { scale: 9 } });
    expect(reducer(taken, CalibrateCard.undoPressed()).encodings['s1'].present.scale).toBe(6);
  });

  it('shows a refusal until the settings change', () => {
    const refused = reducer(initial, BenchApi.failed({ message: 'no' }));
    expect(refused.message).toBe('no');
    expect(reducer(refused, MapsCard.settingsChanged({ change: { size: 512 } }))).toMatchObject({ message: null, settings: { size: 512 } });
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
