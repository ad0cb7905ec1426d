import { inject } from '@angular/core';
import { MatSnackBar } from '@angular/material/snack-bar';
import type { AssetDetail, AssetSummary, ChangeRow } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mapResponse } from '@ngrx/operators';
import type { EntityState } from '@ngrx/entity';
import { createEntityAdapter } from '@ngrx/entity';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { concatMap, filter, map, switchMap, tap } from 'rxjs';
import { Api, sentenceOf } from '../api/api';
import { PressEvents } from './press.state';

export const LibraryPage = createActionGroup({ source: 'Library Page', events: { Opened: emptyProps() } });
export const BenchPage = createActionGroup({
  source: 'Bench Page',
  events: { Opened: props<{ assetId: string; partId: string | null }>() },
});
/** A change of an asset or a part as a whole. */
export interface RowChange {
  readonly target: 'asset' | 'part';
  readonly id: string;
  /** What it was called before. */
  readonly name: string;
  readonly change: ChangeRow;
  /** Whether it undoes another one; then it cannot be undone in turn. */
  readonly undoes: boolean;
}
export const RowMenu = createActionGroup({ source: 'Row Menu', events: { 'Change Wanted': props<RowChange>() } });
export const AssetsApi = createActionGroup({
  source: 'Assets API',
  events: {
    'Row Changed': props<RowChange>(),
    'Change Failed': props<{ message: string }>(),
    'List Loaded': props<{ assets: AssetSummary[] }>(),
    'List Failed': props<{ message: string }>(),
    'Asset Loaded': props<{ asset: AssetDetail }>(),
    'Asset Failed': props<{ message: string }>(),
  },
});

const list = createEntityAdapter<AssetSummary>({ sortComparer: false });
interface AssetsState {
  /** In the server's order, oldest first. */
  readonly list: EntityState<AssetSummary>;
  readonly listReady: boolean;
  readonly openId: string | null;
  /** Part to look at; null for the first. */
  readonly openPartId: string | null;
  readonly open: AssetDetail | null;
  readonly message: string | null;
}
const initial: AssetsState = { list: list.getInitialState(), listReady: false, openId: null, openPartId: null, open: null, message: null };

export const assetsFeature = createFeature({
  name: 'assets',
  reducer: createReducer<AssetsState>(
    initial,
    on(AssetsApi.listLoaded, (state, { assets }): AssetsState => ({
      ...state,
      list: list.setAll(assets, state.list),
      listReady: true,
      message: null,
    })),
    on(AssetsApi.listFailed, (state, { message }): AssetsState => ({ ...state, message })),
    on(AssetsApi.assetFailed, (state, { message }): AssetsState => (state.openId === null ? state : { ...state, message })),
    on(LibraryPage.opened, (state): AssetsState => ({ ...state, openId: null, message: null })),
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
  extraSelectors: ({ selectList }) => ({ selectAll: createSelector(selectList, list.getSelectors().selectAll) }),
});

export const loadList = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(LibraryPage.opened, PressEvents.assetChanged, AssetsApi.rowChanged),
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
      ofType(BenchPage.opened, LibraryPage.opened, PressEvents.assetChanged),
      map((action) => {
        if (action.type === BenchPage.opened.type) open = action;
        // nobody looks at it any more
        if (action.type === LibraryPage.opened.type) open = null;
        return open !== null && 'assetId' in action && action.assetId === open.assetId ? open : null;
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

export const changeRow = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(RowMenu.changeWanted),
      concatMap(({ type: _, ...row }) =>
        (row.target === 'asset' ? api.changeAsset(row.id, row.change) : api.changePart(row.id, row.change)).pipe(
          mapResponse({ next: () => AssetsApi.rowChanged(row), error: (error) => AssetsApi.changeFailed({ message: sentenceOf(error) }) }),
        ),
      ),
    ),
  { functional: true },
);

/** What undoes a change. */
const undoing = ({ name, change, ...row }: RowChange): RowChange => ({
  ...row,
  name: change.name ?? name,
  change: change.removed === undefined ? { name } : { removed: !change.removed },
  undoes: true,
});

/** Says what was changed, with a way back. */
export const offerUndo = createEffect(
  (actions = inject(Actions), bar = inject(MatSnackBar)) =>
    actions.pipe(
      ofType(AssetsApi.rowChanged),
      filter(({ undoes }) => !undoes),
      switchMap((row) =>
        bar
          .open(row.change.removed === true ? `${row.name} is removed.` : `${row.name} is called ${row.change.name} now.`, 'Undo')
          .onAction()
          .pipe(map(() => RowMenu.changeWanted(undoing(row)))),
      ),
    ),
  { functional: true },
);

export const sayWhyNot = createEffect(
  (actions = inject(Actions), bar = inject(MatSnackBar)) =>
    actions.pipe(
      ofType(AssetsApi.changeFailed),
      tap(({ message }) => bar.open(message, 'Close')),
    ),
  { functional: true, dispatch: false },
);
