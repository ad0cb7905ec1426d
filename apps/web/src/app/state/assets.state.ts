import { inject } from '@angular/core';
import type { AssetDetail, AssetSummary } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mapResponse } from '@ngrx/operators';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { filter, map, switchMap } from 'rxjs';
import { Api, sentenceOf } from '../api/api';
import { PressEvents } from './press.state';

export const LibraryPage = createActionGroup({ source: 'Library Page', events: { Opened: emptyProps() } });
export const BenchPage = createActionGroup({
  source: 'Bench Page',
  events: { Opened: props<{ assetId: string; partId: string | null }>() },
});
export const AssetsApi = createActionGroup({
  source: 'Assets API',
  events: {
    'List Loaded': props<{ assets: AssetSummary[] }>(),
    'List Failed': props<{ message: string }>(),
    'Asset Loaded': props<{ asset: AssetDetail }>(),
    'Asset Failed': props<{ message: string }>(),
  },
});

interface AssetsState {
  readonly list: readonly AssetSummary[];
  readonly listReady: boolean;
  readonly openId: string | null;
  /** Part to look at; null for the first. */
  readonly openPartId: string | null;
  readonly open: AssetDetail | null;
  readonly message: string | null;
}
const initial: AssetsState = { list: [], listReady: false, openId: null, openPartId: null, open: null, message: null };

export const assetsFeature = createFeature({
  name: 'assets',
  reducer: createReducer<AssetsState>(
    initial,
    on(AssetsApi.listLoaded, (state, { assets }): AssetsState => ({ ...state, list: assets, listReady: true, message: null })),
    on(AssetsApi.listFailed, AssetsApi.assetFailed, (state, { message }): AssetsState => ({ ...state, message })),
    on(BenchPage.opened, (state, { assetId, partId }): AssetsState => ({
      ...state,
      openId: assetId,
      openPartId: partId,
      open: state.open?.id === assetId && (partId ?? state.open.parts[0].id) === state.open.part.id ? state.open : null,
      message: null,
    })),
    on(AssetsApi.assetLoaded, (state, { asset }): AssetsState =>
      asset.id === state.openId && asset.part.id === (state.openPartId ?? asset.parts[0].id)
        ? { ...state, open: asset, message: null }
        : state,
    ),
  ),
});

export const loadList = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(LibraryPage.opened, PressEvents.assetChanged),
      switchMap(() =>
        api.assets().pipe(
          mapResponse({
            next: (assets) => AssetsApi.listLoaded({ assets }),
            error: (error) => AssetsApi.listFailed({ message: sentenceOf(error) }),
          }),
        ),
      ),
    ),
  { functional: true },
);

export const loadAsset = createEffect(
  (actions = inject(Actions), api = inject(Api)) => {
    let open: { assetId: string; partId: string | null } | null = null;
    return actions.pipe(
      ofType(BenchPage.opened, PressEvents.assetChanged),
      map((action) => {
        if (action.type === BenchPage.opened.type) open = action;
        return action.assetId === open?.assetId ? open : null;
      }),
      filter((wanted) => wanted !== null),
      switchMap(({ assetId, partId }) =>
        api.asset(assetId, partId).pipe(
          mapResponse({
            next: (asset) => AssetsApi.assetLoaded({ asset }),
            error: (error) => AssetsApi.assetFailed({ message: sentenceOf(error) }),
          }),
        ),
      ),
    );
  },
  { functional: true },
);
