import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { displaces } from '@estampe/core';
import { Store } from '@ngrx/store';
import { SweepChart } from '../../gauge/sweep-chart';
import { assetsFeature } from '../../state/assets.state';
import { proofFeature } from '../../state/proof.state';

/** Under the step Proof: how the error falls with the render subdivisions. */
@Component({
  selector: 'est-sweep-footer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SweepChart],
  template: `<est-sweep-chart [study]="proof()?.proof?.study ?? null" [unit]="asset()?.unit ?? ''" [empty]="hint()" />`,
  styles: `
    :host {
      display: contents;
    }
  `,
})
export class SweepFooter {
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly proof = this.store.selectSignal(proofFeature.selectProof);
  protected readonly hint = computed(() =>
    this.proof() === null
      ? 'Prove the map; then a closer look sweeps over the render subdivisions.'
      : !displaces(this.proof()?.proof.outcome.kind ?? '')
        ? 'Nothing moves by this map, so it does not depend on the render subdivisions.'
        : 'Press Look closer in the card to see how the error falls with the render subdivisions.',
  );
}
