import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import type { AssetDetail, TransferRequest } from '@estampe/contracts';
import { transferSchema } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import { assetsFeature } from '../../state/assets.state';
import { LevelsCard as Actions } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { pressFeature } from '../../state/press.state';
import { LevelsCard } from './levels-card';

/** The step Levels: the stack, and the way to one from a free sculpt. */
@Component({
  selector: 'est-levels-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [LevelsCard],
  template: `
    @if (asset(); as a) {
      <est-levels-card
        [asset]="a"
        [settings]="settings()"
        [jobs]="jobs()"
        [message]="message()"
        (edited)="edit($event)"
        (transfer)="transfer(a, $event)"
        (cancelJob)="bench.cancelJob($event)"
        (opened)="bench.choosePart($event)"
        (toSculpt)="bench.go('sculpt')"
        (next)="bench.go('sheet')"
      />
    }
  `,
})
export class LevelsStep {
  protected readonly bench = inject(Bench);
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);
  // lengths mean nothing for another asset, so they are not remembered
  protected readonly settings = signal<TransferRequest>(transferSchema.parse({}));

  protected edit(change: Partial<TransferRequest>): void {
    this.settings.update((settings) => ({ ...settings, ...change }));
  }
  protected transfer({ part }: AssetDetail, request: TransferRequest): void {
    this.store.dispatch(Actions.transferPressed({ partId: part.id, request }));
  }
}
