import type { Routes } from '@angular/router';

export const routes: Routes = [
  { path: '', loadComponent: () => import('./features/library/library-page').then((m) => m.LibraryPage) },
  { path: 'assets/:assetId', pathMatch: 'full', redirectTo: 'assets/:assetId/maps' },
  { path: 'assets/:assetId/:step', loadComponent: () => import('./features/bench/bench-page').then((m) => m.BenchPage) },
  { path: '**', redirectTo: '' },
];
