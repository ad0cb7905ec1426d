import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import type { EncodingSettings } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Gauge } from '../../gauge/gauge';
import { CalibrateCard } from '../../state/bench-actions';
import { calibrateFeature } from '../../state/calibrate.state';
import { mapsFeature } from '../../state/maps.state';

/** Under the steps that look at a map: its distribution, and the range it is stored in. */
@Component({
  selector: 'est-gauge-footer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Gauge],
  template: `<est-gauge [fields]="fields()" [encoding]="encoding()" [unit]="unit()" [kind]="kind()" (changed)="encode($event)" />`,
  styles: `
    :host {
      display: contents;
    }
  `,
})
export class GaugeFooter {
  private readonly store = inject(Store);
  private readonly span = this.store.selectSignal(mapsFeature.selectSpan);
  protected readonly fields = computed(() => this.span()?.fields ?? []);
  protected readonly kind = computed(() => this.span()?.settings.kind ?? 'scalar');
  protected readonly unit = this.store.selectSignal(mapsFeature.selectValueUnit);
  protected readonly encoding = this.store.selectSignal(calibrateFeature.selectEncoding);

  protected encode(encoding: EncodingSettings): void {
    const spanId = this.span()?.id;
    if (spanId !== undefined) this.store.dispatch(CalibrateCard.encodingChanged({ spanId, encoding }));
  }
}
