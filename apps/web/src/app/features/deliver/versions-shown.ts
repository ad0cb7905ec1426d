import { computed, inject, Injectable, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { assetsFeature } from '../../state/assets.state';

/** Which version of a delivery is open, and which it is compared with. Lives as long as the bench. */
@Injectable()
export class VersionsShown {
  private readonly asset = inject(Store).selectSignal(assetsFeature.selectOpen);
  private readonly shownId = signal<string | null>(null);
  private readonly comparedId = signal<string | null>(null);
  /** The chosen one, else the newest. */
  readonly shown = computed(() => {
    const all = this.asset()?.deliveries ?? [];
    return all.find((d) => d.id === this.shownId()) ?? all.at(0) ?? null;
  });
  readonly compared = computed(() => {
    const found = this.asset()?.deliveries.find((d) => d.id === this.comparedId()) ?? null;
    return found?.id === this.shown()?.id ? null : found;
  });

  show(id: string | null): void {
    this.comparedId.set(null);
    this.shownId.set(id);
  }
  compare(id: string): void {
    this.comparedId.update((now) => (now === id ? null : id));
  }
}
