import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import type { EncodingSettings } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Gauge } from '../../gauge/gauge';
import { benchFeature, CalibrateCard } from '../../state/bench.state';

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
  private readonly span = this.store.selectSignal(benchFeature.selectSpan);
  protected readonly fields = computed(() => this.span()?.fields ?? []);
  protected readonly kind = computed(() => this.span()?.settings.kind ?? 'scalar');
  protected readonly unit = this.store.selectSignal(benchFeature.selectValueUnit);
  protected readonly encoding = this.store.selectSignal(benchFeature.selectEncoding);

  protected encode(encoding: EncodingSettings): void {
    const spanId = this.span()?.id;
    if (spanId !== undefined) this.store.dispatch(CalibrateCard.encodingChanged({ spanId, encoding }));
  }
}
