import { inject } from '@angular/core';
import type { StorageInfo } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mapResponse } from '@ngrx/operators';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { exhaustMap, switchMap } from 'rxjs';
import { Api, sentenceOf } from '../api/api';

export const StorageDialog = createActionGroup({
  source: 'Storage Dialog',
  events: { Opened: emptyProps(), 'Free Wanted': emptyProps() },
});
export const StorageApi = createActionGroup({
  source: 'Storage API',
  events: {
    Told: props<{ info: StorageInfo }>(),
    Freed: props<{ freedBytes: number }>(),
    Failed: props<{ message: string }>(),
  },
});

interface StorageState {
  readonly info: StorageInfo | null;
  readonly freeing: boolean;
  /** By the last time; null before. */
  readonly freedBytes: number | null;
  readonly message: string | null;
}

export const storageFeature = createFeature({
  name: 'storage',
  reducer: createReducer<StorageState>(
    { info: null, freeing: false, freedBytes: null, message: null },
    on(StorageDialog.opened, (state): StorageState => ({ ...state, freedBytes: null, message: null })),
    on(StorageDialog.freeWanted, (state): StorageState => ({ ...state, freeing: true, message: null })),
    on(StorageApi.told, (state, { info }): StorageState => ({ ...state, info })),
    // at once what the server will say
    on(StorageApi.freed, (state, { freedBytes }): StorageState => {
      const info = state.info && { ...state.info, freeableBytes: 0, removed: 0, outOfDate: 0 };
      return { ...state, info, freeing: false, freedBytes };
    }),
    on(StorageApi.failed, (state, { message }): StorageState => ({ ...state, freeing: false, message })),
  ),
});

const failed = (error: unknown) => StorageApi.failed({ message: sentenceOf(error) });

export const loadStorage = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(StorageDialog.opened, StorageApi.freed),
      switchMap(() => api.storage().pipe(mapResponse({ next: (info) => StorageApi.told({ info }), error: failed }))),
    ),
  { functional: true },
);
export const freeStorage = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(StorageDialog.freeWanted),
      exhaustMap(() =>
        api
          .freeStorage()
          .pipe(mapResponse({ next: ({ freeableBytes }) => StorageApi.freed({ freedBytes: freeableBytes }), error: failed })),
      ),
    ),
  { functional: true },
);
