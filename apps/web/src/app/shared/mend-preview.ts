import { Injectable, signal } from '@angular/core';
import type { DrawnMesh } from '../workers/mesh-messages';

/** A light mesh as a mend would leave it, shown on Stage and Sheet until the mend is done or left. */
@Injectable({ providedIn: 'root' })
export class MendPreview {
  readonly shown = signal<{ readonly meshId: string; readonly mesh: DrawnMesh } | null>(null);

  /** The mesh to draw in the place of a light mesh. */
  of(meshId: string): DrawnMesh | null {
    const shown = this.shown();
    return shown?.meshId === meshId ? shown.mesh : null;
  }
}
