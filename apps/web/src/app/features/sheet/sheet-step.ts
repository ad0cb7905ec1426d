import { ChangeDetectionStrategy, Component, DestroyRef, effect, inject, signal, untracked } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { AssetDetail, UnwrapRequest } from '@estampe/contracts';
import { unwrapSchema } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import { IslandPicking } from '../../shared/island-picking';
import { ShownUvColours } from '../../shared/uv-colours';
import { remember, remembered } from '../../shared/remembered';
import { assetsFeature } from '../../state/assets.state';
import { SheetCard as Actions } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { pressFeature } from '../../state/press.state';
import { SheetCard } from './sheet-card';

const KEY = 'estampe.unwrap';

/** The step Sheet: the light mesh's UVs. */
@Component({
  selector: 'est-sheet-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SheetCard],
  template: `
    @if (asset(); as a) {
      <est-sheet-card
        [asset]="a"
        [settings]="settings()"
        [jobs]="jobs()"
        [message]="message()"
        (edited)="edit($event)"
        (unwrap)="unwrap(a, $event)"
        (went)="goTo(a, $event)"
        (cancelJob)="bench.cancelJob($event)"
        [colours]="colours.by()"
        (coloured)="colours.by.set($event)"
        (next)="bench.go('maps')"
      />
    }
  `,
})
export class SheetStep {
  protected readonly bench = inject(Bench);
  protected readonly colours = inject(ShownUvColours);
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);
  protected readonly settings = signal<UnwrapRequest>(remembered(KEY, unwrapSchema, unwrapSchema.parse({})));

  constructor() {
    // other steps show other things
    const islands = inject(IslandPicking);
    inject(DestroyRef).onDestroy(() => {
      this.colours.by.set('none');
      islands.close();
    });
    islands.open.set(true);
    islands.edits.pipe(takeUntilDestroyed()).subscribe((edit) => {
      const asset = this.asset();
      if (asset) this.store.dispatch(Actions.islandsEdited({ partId: asset.part.id, edit }));
    });
    effect(() => {
      // what was refused goes back to where it was
      if (this.message() !== null) untracked(() => islands.dragged.set(null));
    });
    // chosen islands are of one part
    let part: string | undefined;
    effect(() => {
      const id = this.asset()?.part.id;
      if (part !== undefined && id !== part) untracked(() => islands.clear());
      part = id;
    });
    effect(() => remember(KEY, this.settings()));
  }

  protected edit(change: Partial<UnwrapRequest>): void {
    this.settings.update((now) => ({ ...now, ...change }));
  }
  protected unwrap(asset: AssetDetail, request: UnwrapRequest): void {
    this.store.dispatch(Actions.unwrapPressed({ assetId: asset.id, partId: asset.part.id, request }));
  }
  protected goTo(asset: AssetDetail, place: number): void {
    this.store.dispatch(Actions.stateChosen({ partId: asset.part.id, place }));
  }
}
