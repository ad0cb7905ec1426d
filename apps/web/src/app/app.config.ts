import { provideHttpClient } from '@angular/common/http';
import type { ApplicationConfig } from '@angular/core';
import { provideZonelessChangeDetection } from '@angular/core';
import { provideRouter, withComponentInputBinding } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideStore } from '@ngrx/store';
import { provideMaterial } from './shared/material-defaults';
import { routes } from './app.routes';
import { rememberedBench } from './state/bench-memory';
import { EFFECTS, SLICES } from './state/slices';
import { spawnBlockWorker, spawnBrushWorker, spawnFieldWorker, spawnFileWorker, spawnMeshWorker } from './workers/spawn-workers';
import { BLOCK_WORKER, BRUSH_WORKER, FIELD_WORKER, FILE_WORKER, MESH_WORKER } from './workers/worker-tokens';

export const appConfig: ApplicationConfig = {
  providers: [
    provideZonelessChangeDetection(),
    provideRouter(routes, withComponentInputBinding()),
    provideHttpClient(),
    provideMaterial(),
    provideStore(SLICES, { initialState: rememberedBench() }),
    provideEffects(EFFECTS),
    { provide: BRUSH_WORKER, useValue: spawnBrushWorker },
    { provide: FILE_WORKER, useValue: spawnFileWorker },
    { provide: MESH_WORKER, useValue: spawnMeshWorker },
    { provide: BLOCK_WORKER, useValue: spawnBlockWorker },
    { provide: FIELD_WORKER, useValue: spawnFieldWorker },
  ],
};
