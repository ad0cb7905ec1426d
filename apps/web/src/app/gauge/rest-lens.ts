import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { count, significant } from '../shared/format';
import type { Lens } from '../workers/field-messages';

const WIDTH = 190;
const HEIGHT = 84;

/** Ten steps at rest at their true size, over the distribution there: whether flat areas fall on a code, and how many heights share one. */
@Component({
  selector: 'est-rest-lens',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <figure>
      <figcaption>ten steps at rest, {{ step() }} each</figcaption>
      <svg
        [attr.viewBox]="'0 0 ' + width + ' ' + (height + 14)"
        [attr.width]="width"
        [attr.height]="height + 14"
        role="img"
        [attr.aria-label]="spoken()"
      >
        @for (b of bars(); track $index) {
          <rect [attr.x]="b.x" [attr.y]="height - b.h" [attr.width]="b.w" [attr.height]="b.h" />
        }
        @for (x of codes(); track $index) {
          <line class="code" [attr.x1]="x" [attr.x2]="x" y1="6" [attr.y2]="height" />
        }
        <line class="rest" [attr.x1]="width / 2" [attr.x2]="width / 2" y1="0" [attr.y2]="height" />
        <line class="ground" x1="0" [attr.x2]="width" [attr.y1]="height" [attr.y2]="height" />
        <text [attr.x]="width / 2" [attr.y]="height + 12">rest</text>
      </svg>
      <figcaption>{{ spoken() }}</figcaption>
    </figure>
  `,
  styles: `
    figure {
      margin: 2px 16px 0 4px;
      width: 190px;
      border-left: 1px solid var(--rule);
      padding-left: 12px;
      box-sizing: content-box;
    }
    figcaption {
      color: var(--graphite);
      font-size: 11.5px;
      line-height: 15px;
    }
    rect {
      fill: var(--graphite);
      opacity: 0.55;
    }
    .code {
      stroke: var(--ink);
      stroke-width: 1;
    }
    .rest {
      stroke: var(--prussian);
      stroke-width: 2;
      stroke-dasharray: 3 2;
    }
    .ground {
      stroke: var(--graphite);
    }
    text {
      font: 11px var(--mono);
      text-anchor: middle;
      fill: var(--prussian);
    }
  `,
})
export class RestLens {
  readonly lens = input.required<Lens>();
  readonly unit = input('');
  protected readonly width = WIDTH;
  protected readonly height = HEIGHT;
  protected readonly step = computed(() => `${significant(this.lens().step, 3)} ${this.unit()}`);
  protected readonly bars = computed(() => {
    const { counts } = this.lens();
    const most = Math.max(1, ...counts);
    return [...counts].map((n, i) => {
      const h = n === 0 ? 0 : Math.max(1, (0.9 * HEIGHT * n) / most);
      return { x: (i * WIDTH) / counts.length, w: WIDTH / counts.length, h };
    });
  });
  protected readonly codes = computed(() => {
    const { codes, half } = this.lens();
    return codes.map((d) => ((d + half) / (2 * half)) * WIDTH);
  });
  protected readonly spoken = computed(() => {
    const { inside, isAbout, codes, step } = this.lens();
    const nearest = Math.min(...codes.map(Math.abs));
    const rest = nearest < 1e-6 * step ? 'rest is a code' : `rest is ${significant(nearest, 2)} ${this.unit()} off a code`;
    return `${isAbout ? 'about ' : ''}${count(inside)} texels; ${rest}`;
  });
}
