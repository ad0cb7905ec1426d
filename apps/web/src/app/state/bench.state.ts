import { inject } from '@angular/core';
import type { AssetDetail, DeliverRequest, EncodingSettings, JobInfo, MeasureRequest, ProveRequest, SpanInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom, mapResponse } from '@ngrx/operators';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props, Store } from '@ngrx/store';
import type { Observable } from 'rxjs';
import { catchError, concat, concatMap, debounceTime, EMPTY, ignoreElements, of } from 'rxjs';
import { Api, isConflict, sentenceOf } from '../api/api';
import type { Tolerance } from '../shared/tolerance';
import { proposedTolerance, toleranceLength } from '../shared/tolerance';
import { unitOf } from '../shared/kinds';
import { AssetsApi, assetsFeature, BenchPage } from './assets.state';
import { PressEvents } from './press.state';

export const Ladder = createActionGroup({
  source: 'Ladder',
  events: { 'Span Drawn': props<{ fromLevel: number; toLevel: number }>(), 'Span Chosen': props<{ spanId: string }>() },
});
export const MapsCard = createActionGroup({
  source: 'Maps Card',
  events: {
    'Settings Changed': props<{ change: Partial<MeasureRequest> }>(),
    /** One pass a part; the part that is open comes last, so that its span is the one shown. */
    'Extract Pressed': props<{ assetId: string; passes: readonly { readonly partId: string; readonly settings: MeasureRequest }[] }>(),
    'Recipe Copied': props<{ partIds: readonly string[]; recipe: MeasureRequest }>(),
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
    /** What another tab saved meanwhile becomes ours; our own stays in the history. */
    'Theirs Taken': emptyProps(),
    /** Ours is saved over what another tab saved. */
    'Ours Kept': emptyProps(),
  },
});
export const ProofCard = createActionGroup({
  source: 'Proof Card',
  events: {
    'Request Changed': props<{ change: Partial<ProofDraft> }>(),
    'Prove Pressed': props<{ spanId: string; encoding: EncodingSettings; request: ProveRequest }>(),
    'Study Pressed': props<{ proofId: string }>(),
  },
});
export const DeliverCard = createActionGroup({
  source: 'Deliver Card',
  events: { 'Deliver Pressed': props<{ assetId: string; partId: string; request: DeliverRequest }>() },
});
export const SculptCard = createActionGroup({
  source: 'Sculpt Card',
  events: { 'Low Brought In': props<{ assetId: string; partId: string; hash: string; name: string }>() },
});
export const BenchApi = createActionGroup({
  source: 'Bench API',
  events: {
    'Job Started': props<{ job: JobInfo }>(),
    'Encoding Saved': props<{ spanId: string; version: number }>(),
    'Encoding Sent': props<{ spanId: string; encoding: EncodingSettings }>(),
    'Conflict Found': emptyProps(),
    Failed: props<{ message: string }>(),
  },
});

export interface ProofDraft {
  /** Null: as many as there are levels in the span. */
  readonly subdivisions: number | null;
  /** Null while nobody has chosen one: then it is proposed. */
  readonly tolerance: Tolerance | null;
  /** Degrees, for normal maps; null gives no verdict. */
  readonly degrees: number | null;
}
export interface History {
  readonly past: readonly EncodingSettings[];
  readonly present: EncodingSettings;
  readonly future: readonly EncodingSettings[];
  /** Version on the server that this one was made from. */
  readonly version: number;
  /** What was sent to the server last, to know our own echo. */
  readonly sent: EncodingSettings | null;
  /** What another tab saved meanwhile, while it is not decided which to keep. */
  readonly theirs: { readonly encoding: EncodingSettings; readonly version: number } | null;
}
interface BenchState {
  /** The part that the settings are for. */
  readonly partId: string | null;
  readonly spanId: string | null;
  readonly settings: MeasureRequest;
  readonly encodings: Readonly<Record<string, History>>;
  readonly draft: ProofDraft;
  readonly message: string | null;
}
/** The settings that a span was measured with, to start the next one from. */
function settingsOf({ settings: { kind, ...common } }: SpanInfo): MeasureRequest {
  return { ...common, kinds: [kind], tiles: null };
}

/** Two encodings that write the same file. */
export const sameEncoding = (a: EncodingSettings, b: EncodingSettings): boolean =>
  (['depth', 'midpoint', 'scale', 'fileType', 'green', 'keepBlue', 'axes'] as const).every((k) => a[k] === b[k]) &&
  JSON.stringify(a.each) === JSON.stringify(b.each);

/** Brings the history of a span up to what the server has. */
function heard(history: History | undefined, span: SpanInfo): History | undefined {
  const { encoding, encodingVersion: version } = span;
  if (encoding === null) return history;
  if (history === undefined) return { past: [], present: encoding, future: [], version, sent: null, theirs: null };
  if (version <= history.version) return history;
  const ours = sameEncoding(encoding, history.present) || (history.sent !== null && sameEncoding(encoding, history.sent));
  return ours ? { ...history, version, theirs: null } : { ...history, theirs: { encoding, version } };
}

/** What a first pass is proposed with. Matching seams costs little, and does nothing where no islands meet. */
export const PROPOSED_SETTINGS: MeasureRequest = { ...MEASURE_DEFAULTS, matchSeams: true };

const initial: BenchState = {
  partId: null,
  spanId: null,
  settings: PROPOSED_SETTINGS,
  encodings: {},
  draft: { subdivisions: null, tolerance: null, degrees: null },
  message: null,
};
/** What the card starts from: what is there while the same span, or the same new one, is open; else the part's own recipe, else its newest span. */
function settingsFor(asset: AssetDetail, chosen: SpanInfo | null, { partId, spanId, settings }: BenchState): MeasureRequest {
  const top = asset.levelList.length - 1;
  const samePart = partId === asset.part.id;
  if (samePart && (chosen?.id ?? null) === spanId && settings.fromLevel <= top && settings.toLevel <= top) return settings;
  const recipe = asset.parts.find((p) => p.id === asset.part.id)?.recipe ?? null;
  if (!samePart && recipe !== null) return recipe;
  return chosen ? settingsOf(chosen) : { ...settings, fromLevel: 0, toLevel: top };
}

/** The span that is open: the same one when it is there still, none while a new one is drawn on the same part, else the newest. */
function spanOpen(asset: AssetDetail, { partId, spanId }: BenchState): SpanInfo | null {
  if (partId === asset.part.id && spanId === null) return null;
  return asset.spans.find((s) => s.id === spanId) ?? asset.spans.at(-1) ?? null;
}

const UNDO_KEPT = 100;

const changeHistory = (state: BenchState, change: (h: History) => History): BenchState =>
  state.spanId === null ? state : ofSpan(state, state.spanId, change);

function ofSpan(state: BenchState, spanId: string, change: (h: History) => History): BenchState {
  const history = state.encodings[spanId] as History | undefined;
  return history === undefined ? state : { ...state, encodings: { ...state.encodings, [spanId]: change(history) } };
}

export const benchFeature = createFeature({
  name: 'bench',
  reducer: createReducer<BenchState>(
    initial,
    on(BenchPage.opened, (state): BenchState => ({ ...state, partId: null, spanId: null, message: null })),
    on(AssetsApi.assetLoaded, (state, { asset }): BenchState => {
      const chosen = spanOpen(asset, state);
      const encodings = { ...state.encodings };
      for (const span of asset.spans) {
        const history = heard(encodings[span.id], span);
        if (history) encodings[span.id] = history;
      }
      return { ...state, encodings, partId: asset.part.id, spanId: chosen?.id ?? null, settings: settingsFor(asset, chosen, state) };
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
        : {
            ...state,
            encodings: { ...state.encodings, [spanId]: { past: [], present: encoding, future: [], version: 0, sent: null, theirs: null } },
          },
    ),
    on(CalibrateCard.encodingChanged, (state, { encoding }): BenchState =>
      changeHistory(state, (h) => ({ ...h, past: [...h.past, h.present].slice(-UNDO_KEPT), present: encoding, future: [] })),
    ),
    on(CalibrateCard.undoPressed, (state): BenchState =>
      changeHistory(state, (h) =>
        h.past.length === 0 ? h : { ...h, past: h.past.slice(0, -1), present: h.past[h.past.length - 1], future: [h.present, ...h.future] },
      ),
    ),
    on(CalibrateCard.redoPressed, (state): BenchState =>
      changeHistory(state, (h) =>
        h.future.length === 0 ? h : { ...h, past: [...h.past, h.present], present: h.future[0], future: h.future.slice(1) },
      ),
    ),
    on(CalibrateCard.theirsTaken, (state): BenchState =>
      changeHistory(state, (h) =>
        h.theirs === null
          ? h
          : { ...h, past: [...h.past, h.present], present: h.theirs.encoding, future: [], version: h.theirs.version, theirs: null },
      ),
    ),
    on(CalibrateCard.oursKept, (state): BenchState =>
      changeHistory(state, (h) => (h.theirs === null ? h : { ...h, version: h.theirs.version, theirs: null })),
    ),
    on(BenchApi.encodingSent, (state, { spanId, encoding }): BenchState => ofSpan(state, spanId, (h) => ({ ...h, sent: encoding }))),
    on(BenchApi.encodingSaved, (state, { spanId, version }): BenchState =>
      ofSpan(state, spanId, (h) => ({ ...h, version: Math.max(h.version, version) })),
    ),
    on(ProofCard.requestChanged, (state, { change }): BenchState => ({ ...state, draft: { ...state.draft, ...change } })),
  ),
  extraSelectors: ({ selectSpanId, selectEncodings, selectDraft }) => {
    const selectSpan = createSelector(assetsFeature.selectOpen, selectSpanId, (asset, id) => asset?.spans.find((s) => s.id === id) ?? null);
    const selectHistory = createSelector(selectEncodings, selectSpanId, (all, id) => (id === null ? null : (all[id] ?? null)));
    return {
      selectSpan,
      selectHistory,
      /** Unit of the values of the chosen map. */
      selectValueUnit: createSelector(assetsFeature.selectOpen, selectSpan, (asset, span) =>
        unitOf(span?.settings.kind ?? 'scalar', asset?.unit ?? ''),
      ),
      /** Length that a proof must keep to; null where none is asked for. */
      selectTolerance: createSelector(selectDraft, assetsFeature.selectOpen, ({ tolerance }, asset) =>
        toleranceLength(tolerance ?? proposedTolerance(asset?.diagonal ?? 1), asset?.diagonal ?? 1),
      ),
      selectEncoding: createSelector(selectHistory, (h) => h?.present ?? null),
      /** The newest proof of the chosen span, and whether its encoding is still the current one. */
      selectProof: createSelector(selectSpan, selectHistory, (span, history) => {
        const proof = span?.proofs[0] ?? null;
        if (proof === null) return null;
        const now = history?.present;
        return { proof, current: now !== undefined && sameEncoding(now, proof.encoding) && span?.outOfDate === false };
      }),
    };
  },
});

/** Everything that the server does as a job. */
export const startJob = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(MapsCard.extractPressed, ProofCard.provePressed, ProofCard.studyPressed, DeliverCard.deliverPressed, SculptCard.lowBroughtIn),
      concatMap((action) =>
        request(api, action).pipe(
          mapResponse({ next: (job) => BenchApi.jobStarted({ job }), error: (e) => BenchApi.failed({ message: sentenceOf(e) }) }),
        ),
      ),
    ),
  { functional: true },
);

type Started = ReturnType<
  | typeof MapsCard.extractPressed
  | typeof ProofCard.provePressed
  | typeof ProofCard.studyPressed
  | typeof DeliverCard.deliverPressed
  | typeof SculptCard.lowBroughtIn
>;
function request(api: Api, action: Started): Observable<JobInfo> {
  switch (action.type) {
    case '[Maps Card] Extract Pressed':
      return concat(...action.passes.map(({ partId, settings }) => api.extract(action.assetId, partId, settings)));
    case '[Proof Card] Prove Pressed':
      return api.prove(action.spanId, action.encoding, action.request);
    case '[Proof Card] Study Pressed':
      return api.study(action.proofId);
    case '[Deliver Card] Deliver Pressed':
      return api.deliver(action.assetId, action.partId, action.request);
    case '[Sculpt Card] Low Brought In':
      return api.bringLowAgain(action.assetId, action.partId, { hash: action.hash, name: action.name });
  }
}

/** Gives parts a recipe; what they have now comes back with the asset. */
export const copyRecipe = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(MapsCard.recipeCopied),
      concatMap(({ partIds, recipe }) =>
        concat(...partIds.map((partId) => api.keepRecipe(partId, recipe))).pipe(
          ignoreElements(),
          catchError((e: unknown) => of(BenchApi.failed({ message: sentenceOf(e) }))),
        ),
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

/** Saves an encoding once the handle is let go; the last of a quick series wins. While another tab's version waits for a decision,
 *  nothing is sent. */
export const saveEncoding = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(
        CalibrateCard.encodingChanged,
        CalibrateCard.encodingProposed,
        CalibrateCard.undoPressed,
        CalibrateCard.redoPressed,
        CalibrateCard.oursKept,
      ),
      debounceTime(400),
      concatLatestFrom(() => [store.select(benchFeature.selectSpanId), store.select(benchFeature.selectHistory)]),
      concatMap(([, spanId, history]) => {
        if (spanId === null || history?.theirs !== null) return EMPTY;
        const { present: encoding, version: basedOn } = history;
        return concat(
          of(BenchApi.encodingSent({ spanId, encoding })),
          api.saveEncoding(spanId, encoding, basedOn).pipe(
            mapResponse({
              next: (version) => BenchApi.encodingSaved({ spanId, version }),
              error: (e) => (isConflict(e) ? BenchApi.conflictFound() : BenchApi.failed({ message: sentenceOf(e) })),
            }),
          ),
        );
      }),
    ),
  { functional: true },
);

/** Another tab was faster: fetch what it saved, so that both can be shown. */
export const showConflict = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(BenchApi.conflictFound),
      concatLatestFrom(() => store.select(assetsFeature.selectOpenId)),
      concatMap(([, assetId]) => (assetId === null ? EMPTY : of(PressEvents.assetChanged({ assetId })))),
    ),
  { functional: true },
);
