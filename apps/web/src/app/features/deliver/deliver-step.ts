import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import type { AssetDetail, DeliverRequest } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import { assetsFeature } from '../../state/assets.state';
import { DeliverCard as Actions } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { pressFeature } from '../../state/press.state';
import { DeliverCard } from './deliver-card';
import { DeliveryPane } from './delivery-pane';
import { VersionsShown } from './versions-shown';

/** The step Deliver: which proven maps go to lighting. */
@Component({
  selector: 'est-deliver-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DeliverCard],
  template: `
    @if (asset(); as a) {
      <est-deliver-card
        [asset]="a"
        [jobs]="jobs()"
        [shownId]="versions.shown()?.id ?? null"
        [comparedId]="versions.compared()?.id ?? null"
        [message]="message()"
        (deliver)="deliver(a, $event)"
        (show)="versions.show($event)"
        (compare)="versions.compare($event)"
        (cancelJob)="bench.cancelJob($event)"
      />
    }
  `,
})
export class DeliverStep {
  protected readonly bench = inject(Bench);
  private readonly store = inject(Store);
  protected readonly versions = inject(VersionsShown);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);

  protected deliver(asset: AssetDetail, request: DeliverRequest): void {
    this.versions.show(null);
    this.store.dispatch(Actions.deliverPressed({ assetId: asset.id, partId: asset.part.id, request }));
  }
}

/** Beside it, in the place of Stage and Sheet: the version that is open. */
@Component({
  selector: 'est-delivery-step-pane',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DeliveryPane],
  template: `<est-delivery-pane [shown]="versions.shown()" [compared]="versions.compared()" />`,
  styles: `
    :host {
      display: contents;
    }
  `,
})
export class DeliveryStepPane {
  protected readonly versions = inject(VersionsShown);
}
