import { provideHttpClient } from '@angular/common/http';
import type { ApplicationConfig } from '@angular/core';
import { provideZonelessChangeDetection } from '@angular/core';
import { provideRouter, withComponentInputBinding } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideStore } from '@ngrx/store';
import { provideMaterial } from './shared/material-defaults';
import { routes } from './app.routes';
import * as assets from './state/assets.state';
import * as bench from './state/bench.state';
import { rememberBench, rememberedBench } from './state/bench-memory';
import * as press from './state/press.state';
import * as recipes from './state/recipes.state';
import { spawnBlockWorker, spawnFieldWorker, spawnMeshWorker } from './workers/spawn-workers';
import { BLOCK_WORKER, FIELD_WORKER, MESH_WORKER } from './workers/worker-tokens';

export const appConfig: ApplicationConfig = {
  providers: [
    provideZonelessChangeDetection(),
    provideRouter(routes, withComponentInputBinding()),
    provideHttpClient(),
    provideMaterial(),
    provideStore(
      {
        assets: assets.assetsFeature.reducer,
        bench: bench.benchFeature.reducer,
        press: press.pressFeature.reducer,
        recipes: recipes.recipesFeature.reducer,
      },
      { initialState: { bench: rememberedBench() } },
    ),
    provideEffects(
      {
        loadList: assets.loadList,
        loadAsset: assets.loadAsset,
        changeRow: assets.changeRow,
        offerUndo: assets.offerUndo,
        sayWhyNot: assets.sayWhyNot,
      },
      {
        startJob: bench.startJob,
        copyRecipe: bench.copyRecipe,
        showConflict: bench.showConflict,
        showStartedJob: bench.showStartedJob,
        saveEncoding: bench.saveEncoding,
        rememberBench,
      },
      { listen: press.listen, loadJobs: press.loadJobs, changeJob: press.changeJob },
      { loadRecipes: recipes.loadRecipes, saveRecipe: recipes.saveRecipe, removeRecipe: recipes.removeRecipe },
    ),
    { provide: MESH_WORKER, useValue: spawnMeshWorker },
    { provide: BLOCK_WORKER, useValue: spawnBlockWorker },
    { provide: FIELD_WORKER, useValue: spawnFieldWorker },
  ],
};
