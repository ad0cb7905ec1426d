import { inject } from '@angular/core';
import type { MeasureRecipe, SavedRecipe } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mapResponse } from '@ngrx/operators';
import type { EntityState } from '@ngrx/entity';
import { createEntityAdapter } from '@ngrx/entity';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { concatMap, map, switchMap } from 'rxjs';
import { Api, sentenceOf } from '../api/api';

export const RecipeBar = createActionGroup({
  source: 'Recipe Bar',
  events: {
    Shown: emptyProps(),
    'Recipe Saved': props<{ recipe: MeasureRecipe }>(),
    'Recipe Removed': props<{ recipeId: string }>(),
    'Usual Chosen': props<{ assetId: string; recipeId: string | null }>(),
  },
});
export const RecipesApi = createActionGroup({
  source: 'Recipes API',
  events: {
    Loaded: props<{ recipes: SavedRecipe[] }>(),
    Changed: emptyProps(),
    Failed: props<{ message: string }>(),
  },
});

const recipes = createEntityAdapter<SavedRecipe>({ sortComparer: (a, b) => a.name.localeCompare(b.name) });
interface RecipesState {
  /** By name. */
  readonly recipes: EntityState<SavedRecipe>;
  readonly message: string | null;
}

export const recipesFeature = createFeature({
  name: 'recipes',
  reducer: createReducer<RecipesState>(
    { recipes: recipes.getInitialState(), message: null },
    on(RecipesApi.loaded, (state, { recipes: all }): RecipesState => ({ recipes: recipes.setAll(all, state.recipes), message: null })),
    on(RecipesApi.failed, (state, { message }): RecipesState => ({ ...state, message })),
    on(RecipeBar.recipeSaved, RecipeBar.recipeRemoved, (state): RecipesState => ({ ...state, message: null })),
  ),
  extraSelectors: ({ selectRecipes }) => ({ selectAll: createSelector(selectRecipes, recipes.getSelectors().selectAll) }),
});

const failed = (error: unknown) => RecipesApi.failed({ message: sentenceOf(error) });

export const loadRecipes = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(RecipeBar.shown, RecipesApi.changed),
      switchMap(() => api.recipes().pipe(mapResponse({ next: (recipes) => RecipesApi.loaded({ recipes }), error: failed }))),
    ),
  { functional: true },
);
export const saveRecipe = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(RecipeBar.recipeSaved),
      concatMap(({ recipe }) => api.saveRecipe(recipe).pipe(mapResponse({ next: () => RecipesApi.changed(), error: failed }))),
    ),
  { functional: true },
);
/** What the production starts from comes back with the asset. */
export const useRecipe = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(RecipeBar.usualChosen),
      concatMap(({ assetId, recipeId }) =>
        api.useRecipe(assetId, recipeId).pipe(mapResponse({ next: () => RecipesApi.changed(), error: failed })),
      ),
    ),
  { functional: true },
);
export const removeRecipe = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(RecipeBar.recipeRemoved),
      map(({ recipeId }) => recipeId),
      concatMap((id) => api.removeRecipe(id).pipe(mapResponse({ next: () => RecipesApi.changed(), error: failed }))),
    ),
  { functional: true },
);
