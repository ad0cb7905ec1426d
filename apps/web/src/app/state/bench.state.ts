import { inject } from '@angular/core';
import type { AssetDetail, JobInfo } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom, mapResponse } from '@ngrx/operators';
import { createFeature, createReducer, on, Store } from '@ngrx/store';
import type { Observable } from 'rxjs';
import { catchError, concat, concatMap, ignoreElements, of } from 'rxjs';
import { Api, sentenceOf } from '../api/api';
import { assetsFeature, BenchPage } from './assets.state';
import { BenchApi, DeliverCard, Ladder, LevelsCard, MapsCard, ProofCard, SculptCard, SheetCard } from './bench-actions';
import { PressEvents } from './press.state';

/** What the steps have in common: jobs that they start, and why the last wish was refused. */

interface BenchState {
  readonly message: string | null;
}

export const benchFeature = createFeature({
  name: 'bench',
  reducer: createReducer<BenchState>(
    { message: null },
    on(BenchApi.failed, (_, { message }): BenchState => ({ message })),
    on(BenchPage.opened, Ladder.spanDrawn, Ladder.spanChosen, MapsCard.settingsChanged, BenchApi.jobStarted, (): BenchState => ({
      message: null,
    })),
  ),
});

/** The stamp of a part as it was shown when something was asked of it: what it is asked of is that, not what the part has become. */
const stampOf = (asset: AssetDetail | null, partId: string): string | null => asset?.parts.find(({ id }) => id === partId)?.stamp ?? null;

/** Everything that the server does as a job. */
export const startJob = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(
        MapsCard.extractPressed,
        ProofCard.provePressed,
        ProofCard.studyPressed,
        DeliverCard.deliverPressed,
        SculptCard.lowBroughtIn,
        SculptCard.mendPressed,
        SculptCard.splitPressed,
        LevelsCard.transferPressed,
        LevelsCard.levelsEdited,
        SheetCard.unwrapPressed,
        SheetCard.islandsEdited,
      ),
      concatLatestFrom(() => store.select(assetsFeature.selectOpen)),
      concatMap(([action, asset]) =>
        request(api, action, 'partId' in action ? stampOf(asset, action.partId) : null).pipe(
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
  | typeof SculptCard.mendPressed
  | typeof SculptCard.splitPressed
  | typeof LevelsCard.transferPressed
  | typeof LevelsCard.levelsEdited
  | typeof SheetCard.unwrapPressed
  | typeof SheetCard.islandsEdited
>;
function request(api: Api, action: Started, seen: string | null): Observable<JobInfo> {
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
      return api.bringLowAgain(action.assetId, action.partId, seen, { hash: action.hash, name: action.name });
    case '[Sculpt Card] Mend Pressed':
      return api.mend(action.assetId, action.partId, seen, action.request);
    case '[Sculpt Card] Split Pressed':
      return api.split(action.partId, seen);
    case '[Levels Card] Transfer Pressed':
      return api.transfer(action.partId, seen, action.request);
    case '[Levels Card] Levels Edited':
      return api.editLevels(action.partId, seen, action.edit);
    case '[Sheet Card] Islands Edited':
      return api.editIslands(action.partId, seen, action.edit);
    case '[Sheet Card] Unwrap Pressed':
      return api.unwrap(action.assetId, action.partId, seen, action.request);
  }
}

/** Undo and redo of the light mesh; its new state comes back with the asset. */
export const goToState = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(SheetCard.stateChosen),
      concatLatestFrom(() => store.select(assetsFeature.selectOpen)),
      concatMap(([{ partId, place }, asset]) =>
        api.goToState(partId, stampOf(asset, partId), place).pipe(
          ignoreElements(),
          catchError((e: unknown) => of(BenchApi.failed({ message: sentenceOf(e) }))),
        ),
      ),
    ),
  { functional: true },
);

/** New groups of the light mesh; they come back with the asset. */
export const setGroups = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(SculptCard.groupsSet),
      concatLatestFrom(() => store.select(assetsFeature.selectOpen)),
      concatMap(([{ partId, request }, asset]) =>
        api.setGroups(partId, stampOf(asset, partId), request).pipe(
          ignoreElements(),
          catchError((e: unknown) => of(BenchApi.failed({ message: sentenceOf(e) }))),
        ),
      ),
    ),
  { functional: true },
);

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
