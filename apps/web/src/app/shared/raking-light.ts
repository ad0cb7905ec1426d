import { Injectable, signal } from '@angular/core';

/** Where a light comes from, seen along the view: round from the top edge, and up from the surface. */
export interface LightDirection {
  readonly azimuthRad: number;
  readonly elevationRad: number;
}

/** The one raking light of the bench: the dial on the Stage turns it, and what is drawn in relief on the Sheet follows. */
@Injectable({ providedIn: 'root' })
export class RakingLight {
  readonly direction = signal<LightDirection>({ azimuthRad: -0.95, elevationRad: 0.42 });
}
