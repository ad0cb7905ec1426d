import { InjectionToken } from '@angular/core';

export const MESH_WORKER = new InjectionToken<() => Worker>('mesh worker');
export const BLOCK_WORKER = new InjectionToken<() => Worker>('block worker');
export const FILE_WORKER = new InjectionToken<() => Worker>('file worker');
export const FIELD_WORKER = new InjectionToken<() => Worker>('field worker');
export const BRUSH_WORKER = new InjectionToken<() => Worker>('brush worker');
