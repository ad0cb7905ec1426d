import { inject } from '@angular/core';
import type { EncodingSettings, ExtractSettings, JobInfo, ProveRequest } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom, mapResponse } from '@ngrx/operators';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props, Store } from '@ngrx/store';
import { concatMap, debounceTime, EMPTY } from 'rxjs';
import { Api, sentenceOf } from '../api/api';
import { AssetsApi, assetsFeature, BenchPage } from './assets.state';
import { PressEvents } from './press.state';

export const Ladder = createActionGroup({
  source: 'Ladder',
  events: { 'Span Drawn': props<{ fromLevel: number; toLevel: number }>(), 'Span Chosen': props<{ spanId: string }>() },
});
export const MapsCard = createActionGroup({
  source: 'Maps Card',
  events: {
    'Settings Changed': props<{ change: Partial<ExtractSettings> }>(),
    'Extract Pressed': props<{ assetId: string; settings: ExtractSettings }>(),
  },
});
export const CalibrateCard = createActionGroup({
  source: 'Calibrate Card',
  events: {
    /** The first encoding of a span, proposed from its field; not a step that can be undone. */
    'Encoding Proposed': props<{ spanId: string; encoding: EncodingSettings }>(),
    'Encoding Changed': props<{ spanId: string; encoding: EncodingSettings }>(),
    'Undo Pressed': emptyProps(),
    'Redo Pressed': emptyProps(),
  },
});
export const ProofCard = createActionGroup({
  source: 'Proof Card',
  events: {
    'Request Changed': props<{ change: Partial<ProofDraft> }>(),
    'Prove Pressed': props<{ spanId: string; encoding: EncodingSettings; request: ProveRequest }>(),
  },
});
export const BenchApi = createActionGroup({
  source: 'Bench API',
  events: {
    'Job Started': props<{ job: JobInfo }>(),
    'Encoding Saved': props<{ spanId: string }>(),
    Failed: props<{ message: string }>(),
  },
});

export interface ProofDraft {
  /** Null: as many as there are levels in the span. */
  readonly subdivisions: number | null;
  readonly tolerance: number | null;
}
interface History {
  readonly past: readonly EncodingSettings[];
  readonly present: EncodingSettings;
  readonly future: readonly EncodingSettings[];
}
interface BenchState {
  readonly spanId: string | null;
  readonly settings: ExtractSettings;
  readonly encodings: Readonly<Record<string, History>>;
  readonly draft: ProofDraft;
  readonly message: string | null;
}
const initial: BenchState = {
  spanId: null,
  settings: EXTRACT_SETTINGS_DEFAULTS,
  encodings: {},
  draft: { subdivisions: null, tolerance: null },
  message: null,
};
const UNDO_KEPT = 100;

function changeHistory(state: BenchState, change: (h: History) => History): BenchState {
  const history = state.spanId === null ? undefined : state.encodings[state.spanId];
  return history === undefined || state.spanId === null
    ? state
    : { ...state, encodings: { ...state.encodings, [state.spanId]: change(history) } };
}

export const benchFeature = createFeature({
  name: 'bench',
  reducer: createReducer<BenchState>(
    initial,
    on(BenchPage.opened, (state): BenchState => ({ ...state, spanId: null, message: null })),
    on(AssetsApi.assetLoaded, (state, { asset }): BenchState => {
      const top = asset.levelList.length - 1;
      const chosen = asset.spans.find((s) => s.id === state.spanId) ?? asset.spans.at(-1) ?? null;
      const encodings = { ...state.encodings };
      for (const span of asset.spans)
        if (span.encoding && !(span.id in encodings)) encodings[span.id] = { past: [], present: span.encoding, future: [] };
      const fits = state.settings.toLevel <= top && state.settings.toLevel > state.settings.fromLevel && state.spanId !== null;
      return {
        ...state,
        encodings,
        spanId: chosen?.id ?? null,
        settings: chosen ? chosen.settings : fits ? state.settings : { ...state.settings, fromLevel: 0, toLevel: top },
      };
    }),
    on(Ladder.spanDrawn, (state, { fromLevel, toLevel }): BenchState => ({
      ...state,
      settings: { ...state.settings, fromLevel, toLevel },
      spanId: null,
      message: null,
    })),
    on(Ladder.spanChosen, (state, { spanId }): BenchState => ({ ...state, spanId, message: null })),
    on(MapsCard.settingsChanged, (state, { change }): BenchState => ({
      ...state,
      settings: { ...state.settings, ...change },
      message: null,
    })),
    on(BenchApi.jobStarted, (state, { job }): BenchState => ({
      ...state,
      message: null,
      spanId: job.kind === 'extract' ? job.spanId : state.spanId,
    })),
    on(BenchApi.failed, (state, { message }): BenchState => ({ ...state, message })),
    on(CalibrateCard.encodingProposed, (state, { spanId, encoding }): BenchState =>
      spanId in state.encodings
        ? state
        : { ...state, encodings: { ...state.encodings, [spanId]: { past: [], present: encoding, future: [] } } },
    ),
    on(CalibrateCard.encodingChanged, (state, { encoding }): BenchState =>
      changeHistory(state, ({ past, present }) => ({ past: [...past, present].slice(-UNDO_KEPT), present: encoding, future: [] })),
    ),
    on(CalibrateCard.undoPressed, (state): BenchState =>
      changeHistory(state, (h) =>
        h.past.length === 0 ? h : { past: h.past.slice(0, -1), present: h.past[h.past.length - 1], future: [h.present, ...h.future] },
      ),
    ),
    on(CalibrateCard.redoPressed, (state): BenchState =>
      changeHistory(state, (h) =>
        h.future.length === 0 ? h : { past: [...h.past, h.present], present: h.future[0], future: h.future.slice(1) },
      ),
    ),
    on(ProofCard.requestChanged, (state, { change }): BenchState => ({ ...state, draft: { ...state.draft, ...change } })),
  ),
  extraSelectors: ({ selectSpanId, selectEncodings }) => {
    const selectSpan = createSelector(assetsFeature.selectOpen, selectSpanId, (asset, id) => asset?.spans.find((s) => s.id === id) ?? null);
    const selectHistory = createSelector(selectEncodings, selectSpanId, (all, id) => (id === null ? null : (all[id] ?? null)));
    return {
      selectSpan,
      selectHistory,
      selectEncoding: createSelector(selectHistory, (h) => h?.present ?? null),
      /** The newest proof of the chosen span, and whether its encoding is still the current one. */
      selectProof: createSelector(selectSpan, selectHistory, (span, history) => {
        const proof = span?.proofs[0] ?? null;
        if (proof === null) return null;
        const now = history?.present;
        const current =
          now !== undefined && (['depth', 'midpoint', 'scale', 'fileType'] as const).every((k) => now[k] === proof.encoding[k]);
        return { proof, current };
      }),
    };
  },
});

export const extractSpan = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(MapsCard.extractPressed),
      concatMap(({ assetId, settings }) =>
        api
          .extract(assetId, settings)
          .pipe(mapResponse({ next: (job) => BenchApi.jobStarted({ job }), error: (e) => BenchApi.failed({ message: sentenceOf(e) }) })),
      ),
    ),
  { functional: true },
);

export const proveSpan = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(ProofCard.provePressed),
      concatMap(({ spanId, encoding, request }) =>
        api
          .prove(spanId, encoding, request)
          .pipe(mapResponse({ next: (job) => BenchApi.jobStarted({ job }), error: (e) => BenchApi.failed({ message: sentenceOf(e) }) })),
      ),
    ),
  { functional: true },
);

/** A new span is on the server as soon as its job is: fetch it, so that the Ladder shows it running. */
export const showStartedJob = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(BenchApi.jobStarted),
      concatMap(({ job }) => [
        PressEvents.jobMoved({ job }),
        ...(job.assetId === null ? [] : [PressEvents.assetChanged({ assetId: job.assetId })]),
      ]),
    ),
  { functional: true },
);

/** Saves an encoding once the handle is let go; the last of a quick series wins. */
export const saveEncoding = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(CalibrateCard.encodingChanged, CalibrateCard.encodingProposed, CalibrateCard.undoPressed, CalibrateCard.redoPressed),
      debounceTime(400),
      concatLatestFrom(() => [store.select(benchFeature.selectSpanId), store.select(benchFeature.selectEncoding)]),
      concatMap(([, spanId, encoding]) =>
        spanId === null || encoding === null
          ? EMPTY
          : api
              .saveEncoding(spanId, encoding)
              .pipe(
                mapResponse({ next: () => BenchApi.encodingSaved({ spanId }), error: (e) => BenchApi.failed({ message: sentenceOf(e) }) }),
              ),
      ),
    ),
  { functional: true },
);
