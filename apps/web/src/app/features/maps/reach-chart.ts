import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import type { FieldInfo } from '@estampe/contracts';
import { FieldStore } from '../../shared/field-store';
import { recordedHistogram } from '../../gauge/histograms';
import { percent, significant } from '../../shared/format';
import type { Histogram } from '../../workers/field-messages';

const BARS = 40;
const WIDTH = 284;
const HEIGHT = 54;

/** How far the sculpt lies from the base, as shares of the reach: bars against its end mean that the reach is too short. */
@Component({
  selector: 'est-reach-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (bars().length > 0) {
      <figure>
        <svg
          [attr.viewBox]="'0 0 ' + width + ' ' + (height + 16)"
          [attr.width]="width"
          [attr.height]="height + 16"
          role="img"
          [attr.aria-label]="spoken()"
        >
          @for (b of bars(); track $index) {
            <rect [attr.x]="b.x" [attr.y]="height - b.h" [attr.width]="b.w" [attr.height]="b.h" [class.near]="b.near" />
          }
          <line x1="0" [attr.x2]="width" [attr.y1]="height" [attr.y2]="height" />
          <text x="0" [attr.y]="height + 13">0</text>
          <text [attr.x]="width" [attr.y]="height + 13" class="end">reach {{ reachText() }}</text>
        </svg>
        <figcaption>{{ spoken() }}</figcaption>
      </figure>
    }
  `,
  styles: `
    figure {
      margin: 10px 0;
    }
    rect {
      fill: var(--ink);
    }
    rect.near {
      fill: var(--madder);
    }
    line {
      stroke: var(--graphite);
    }
    text {
      font: 11px var(--mono);
      fill: var(--graphite);
    }
    .end {
      text-anchor: end;
    }
    figcaption {
      color: var(--graphite);
    }
  `,
})
export class ReachChart {
  readonly fields = input.required<readonly FieldInfo[]>();
  readonly unit = input('');
  private readonly store = inject(FieldStore);
  protected readonly width = WIDTH;
  protected readonly height = HEIGHT;
  private readonly histograms = signal<readonly Histogram[]>([]);
  private readonly reach = computed(() => this.fields()[0]?.reach ?? 0);
  protected readonly reachText = computed(() => `${significant(this.reach(), 3)} ${this.unit()}`);
  private readonly shares = computed(() => {
    const counts = new Float64Array(BARS);
    let total = 0;
    for (const { from, to, counts: own } of this.histograms())
      own.forEach((n, i) => {
        const d = Math.abs(from + ((i + 0.5) * (to - from)) / own.length);
        counts[Math.min(BARS - 1, Math.floor((BARS * d) / this.reach()))] += n;
        total += n;
      });
    return total === 0 ? [] : [...counts].map((n) => n / total);
  });
  protected readonly bars = computed(() => {
    const most = Math.log1p(1e5 * Math.max(...this.shares(), 1e-9));
    return this.shares().map((share, i) => {
      const h = share === 0 ? 0 : Math.max(1, (HEIGHT * Math.log1p(1e5 * share)) / most);
      return { x: (i * WIDTH) / BARS, w: WIDTH / BARS - 1, h, near: i >= 0.9 * BARS };
    });
  });
  protected readonly spoken = computed(() => {
    const shares = this.shares();
    const near = shares.slice(Math.floor(0.9 * BARS)).reduce((a, b) => a + b, 0);
    const half = shares.slice(0, BARS / 2).reduce((a, b) => a + b, 0);
    return `${percent(half, 1)} of the texels need less than half the reach, ${percent(near)} its last tenth.`;
  });

  constructor() {
    let wanted = '';
    effect(() => {
      const ids = this.fields().map((f) => f.id);
      wanted = ids.join();
      const mine = wanted;
      const asked = this.fields().map(async (f) => recordedHistogram(f, '') ?? this.store.spread(f, ''));
      void Promise.all(asked).then(
        (all) => {
          if (mine === wanted) this.histograms.set(all);
        },
        () => this.histograms.set([]),
      );
    });
  }
}
