import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import type { AssetDetail, MendRequest, SetGroups, Uploaded } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import { assetsFeature } from '../../state/assets.state';
import { SculptCard as Actions, SheetCard as SheetActions } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { pressFeature } from '../../state/press.state';
import { SculptCard } from './sculpt-card';

/** The step Sculpt: what was brought in, and the light mesh again. */
@Component({
  selector: 'est-sculpt-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SculptCard],
  template: `
    @if (asset(); as a) {
      <est-sculpt-card
        [asset]="a"
        [jobs]="jobs()"
        [message]="message()"
        (lit)="bench.lightFaces($event.faces, $event.level)"
        (mended)="mend(a, $event)"
        (grouped)="setGroups(a, $event)"
        (split)="splitPart(a)"
        (went)="goTo(a, $event)"
        (led)="bench.go($event)"
        (lowAgain)="lowAgain(a, $event)"
        (cancelJob)="bench.cancelJob($event)"
        (next)="bench.go(a.tiles.length === 0 ? 'sheet' : 'maps')"
      />
    }
  `,
})
export class SculptStep {
  protected readonly bench = inject(Bench);
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);

  protected mend(asset: AssetDetail, request: MendRequest): void {
    this.store.dispatch(Actions.mendPressed({ assetId: asset.id, partId: asset.part.id, request }));
  }
  protected setGroups({ part }: AssetDetail, request: SetGroups): void {
    this.store.dispatch(Actions.groupsSet({ partId: part.id, request }));
  }
  protected splitPart({ part }: AssetDetail): void {
    this.store.dispatch(Actions.splitPressed({ partId: part.id }));
  }
  protected goTo(asset: AssetDetail, place: number): void {
    this.store.dispatch(SheetActions.stateChosen({ partId: asset.part.id, place }));
  }
  protected lowAgain(asset: AssetDetail, { hash, name }: Uploaded): void {
    this.store.dispatch(Actions.lowBroughtIn({ assetId: asset.id, partId: asset.part.id, hash, name }));
  }
}
