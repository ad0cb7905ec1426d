import { inject } from '@angular/core';
import type { EncodingSettings, SpanInfo } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom, mapResponse } from '@ngrx/operators';
import { createFeature, createReducer, createSelector, on, Store } from '@ngrx/store';
import { concat, concatMap, debounceTime, EMPTY, groupBy, mergeMap, of } from 'rxjs';
import { Api, isConflict, sentenceOf } from '../api/api';
import { AssetsApi, assetsFeature } from './assets.state';
import { BenchApi, CalibrateCard } from './bench-actions';
import { mapsFeature } from './maps.state';
import { PressEvents } from './press.state';

/** The slice of the step Calibrate: the encoding of each span, with its history and what the server has of it. */

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
/** Two encodings that write the same file. */
export const sameEncoding = (a: EncodingSettings, b: EncodingSettings): boolean =>
  (['depth', 'midpoint', 'scale', 'fileType', 'green', 'keepBlue', 'axes'] as const).every((k) => a[k] === b[k]) &&
  JSON.stringify(a.each) === JSON.stringify(b.each);

/** Brings the history of a span up to what the server has. */
function heard(history: History | undefined, span: SpanInfo): History | undefined {
  const { encoding, encodingVersion: version } = span;
  if (encoding === null) return history;
  // what nobody here has touched follows the server, also while tiles come in and what is proposed for them changes
  const isUntouched = history?.sent === null && history.past.length === 0 && history.future.length === 0;
  // the same one is no news: what is computed from it would be computed again
  if (isUntouched && version === history.version && sameEncoding(encoding, history.present)) return history;
  if (history === undefined || (isUntouched && version >= history.version))
    return { past: [], present: encoding, future: [], version, sent: null, theirs: null };
  if (version <= history.version) return history;
  const ours = sameEncoding(encoding, history.present) || (history.sent !== null && sameEncoding(encoding, history.sent));
  return ours ? { ...history, version, theirs: null } : { ...history, theirs: { encoding, version } };
}

const UNDO_KEPT = 100;

interface CalibrateState {
  /** By span. */
  readonly histories: Readonly<Record<string, History>>;
}
function changed(state: CalibrateState, spanId: string, change: (h: History) => History): CalibrateState {
  const history = state.histories[spanId] as History | undefined;
  return history === undefined ? state : { histories: { ...state.histories, [spanId]: change(history) } };
}

export const calibrateFeature = createFeature({
  name: 'calibrate',
  reducer: createReducer<CalibrateState>(
    { histories: {} },
    on(AssetsApi.assetLoaded, (state, { asset }): CalibrateState => {
      const histories = { ...state.histories };
      for (const span of asset.spans) {
        const history = heard(histories[span.id], span);
        if (history) histories[span.id] = history;
      }
      return { histories };
    }),
    on(CalibrateCard.encodingChanged, (state, { spanId, encoding }): CalibrateState =>
      changed(state, spanId, (h) => ({ ...h, past: [...h.past, h.present].slice(-UNDO_KEPT), present: encoding, future: [] })),
    ),
    on(CalibrateCard.undoPressed, (state, { spanId }): CalibrateState =>
      changed(state, spanId, (h) =>
        h.past.length === 0 ? h : { ...h, past: h.past.slice(0, -1), present: h.past[h.past.length - 1], future: [h.present, ...h.future] },
      ),
    ),
    on(CalibrateCard.redoPressed, (state, { spanId }): CalibrateState =>
      changed(state, spanId, (h) =>
        h.future.length === 0 ? h : { ...h, past: [...h.past, h.present], present: h.future[0], future: h.future.slice(1) },
      ),
    ),
    on(CalibrateCard.theirsTaken, (state, { spanId }): CalibrateState =>
      changed(state, spanId, (h) =>
        h.theirs === null
          ? h
          : { ...h, past: [...h.past, h.present], present: h.theirs.encoding, future: [], version: h.theirs.version, theirs: null },
      ),
    ),
    on(CalibrateCard.oursKept, (state, { spanId }): CalibrateState =>
      changed(state, spanId, (h) => (h.theirs === null ? h : { ...h, version: h.theirs.version, theirs: null })),
    ),
    on(BenchApi.encodingSent, (state, { spanId, encoding }): CalibrateState => changed(state, spanId, (h) => ({ ...h, sent: encoding }))),
    on(BenchApi.encodingSaved, (state, { spanId, version }): CalibrateState =>
      changed(state, spanId, (h) => ({ ...h, version: Math.max(h.version, version) })),
    ),
  ),
  extraSelectors: ({ selectHistories }) => {
    const selectHistory = createSelector(selectHistories, mapsFeature.selectSpanId, (all, id) => (id === null ? null : (all[id] ?? null)));
    return { selectHistory, selectEncoding: createSelector(selectHistory, (h) => h?.present ?? null) };
  },
});

/** Saves an encoding once the handle is let go; the last of a quick series wins. While another tab's version waits for a decision,
 *  nothing is sent. */
export const saveEncoding = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(CalibrateCard.encodingChanged, CalibrateCard.undoPressed, CalibrateCard.redoPressed, CalibrateCard.oursKept),
      // each span by itself: another one may be opened before this is saved
      groupBy(({ spanId }) => spanId),
      mergeMap((ofSpan) => ofSpan.pipe(debounceTime(400))),
      concatLatestFrom(() => store.select(calibrateFeature.selectHistories)),
      concatMap(([{ spanId }, histories]) => {
        const history = histories[spanId] as History | undefined;
        if (history?.theirs !== null) return EMPTY;
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
